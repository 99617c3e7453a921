import { success, type Outcome } from '@pannet/core/outcome';
import type { Recording } from '@pannet/core/song/song';
import { describeRecording, hashOfFile } from '@pannet/core/sources/describe';
import { answer, seldom } from '../workers/ask.ts';
import { bytesOfFile } from './bytes-of-file.ts';
import type { Looking } from './look-at-file.ts';

answer<Looking, Outcome<Recording>>(async ({ file, wav, from }, tell) => {
  const described = await describeRecording(bytesOfFile(wav), wav.name, seldom(tell));
  if (!described.ok || !from) return described;
  const { format, fromHz: rateHz } = from;
  const hash = await hashOfFile(bytesOfFile(file));
  return success({
    ...described.value,
    original: { hash, fileName: file.name, format, rateHz },
  });
});
