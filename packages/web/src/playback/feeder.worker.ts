import { makingLoader } from '@pannet/core/derived/making';
import { Feeder } from './feeder.ts';
import type { FromFeeder, ToFeeder, Whereabouts } from './messages.ts';
import { RecordingReader } from './recording-reader.ts';

const reader = new RecordingReader(96e6);
const feeder = new Feeder({
  load: makingLoader(reader.load),
  post: null,
  failed: (sentence) => postMessage({ kind: 'failed', sentence } satisfies FromFeeder),
  now: () => performance.now(),
  later: (run, ms) => setTimeout(run, ms),
});

onmessage = ({ data }: MessageEvent<ToFeeder>) => {
  if (data.kind === 'sources') {
    reader.know(data.recordings);
    feeder.read(data.rateHz, data.added, data.dropped);
    return;
  }
  const { port } = data;
  feeder.connect((message, transfer) => port.postMessage(message, transfer));
  port.onmessage = (told: MessageEvent<Whereabouts>) => feeder.hear(told.data);
};
