import { prepareResponse } from '@pannet/core/rooms/made-response';
import { type RoomResponse } from '@pannet/core/rooms/response';
import { answer } from '../workers/ask.ts';
import type { ResponseJob } from './responses.ts';
import { RecordingReader } from './recording-reader.ts';

const reader = new RecordingReader(32e6, 8);

/** Makes a recorded response ready for the room that rings by it. */
answer<ResponseJob, RoomResponse>(({ need, recordings, rateHz }) => {
  reader.know(recordings);
  return prepareResponse(need, rateHz, reader.load);
});
