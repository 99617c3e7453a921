import { measureStereo } from '@pannet/core/measurement/report';
import { decodeAudio } from '@pannet/core/sources/conversion';
import type { MeasuredFile } from '../measuring/messages.ts';
import { bytesOfFile } from '../importing/bytes-of-file.ts';
import { answer, seldom } from '../workers/ask.ts';

/** Decodes and measures a file. */
answer<File, MeasuredFile>(async (file, tell) => {
  const decoded = await decodeAudio(bytesOfFile(file), file.name);
  if (!decoded.ok) throw new Error(decoded.error.sentence);
  const { channels, rateHz } = decoded.value;
  const { report, colour } = measureStereo(
    channels[0],
    channels[channels.length - 1],
    rateHz,
    seldom(tell),
  );
  return { report, colour, seconds: channels[0].length / rateHz, channels: channels.length };
});
