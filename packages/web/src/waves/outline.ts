import type { Recording } from '@pannet/core/song/song';
import { question } from '../workers/ask.ts';

/** One pair of an outline stands for so many frames; a block is a whole number of them. */
export const outlineFrames = 256;

export interface OutlineRequest {
  readonly recording: Recording;
  readonly channel: number;
}

/** Answers least and largest sample of each `outlineFrames`, in pairs; told as far as it has come, zeros behind that. */
export const outlineQuestion = question<OutlineRequest, Float32Array, Float32Array>(
  () => new Worker(new URL('./outline.worker.ts', import.meta.url), { type: 'module' }),
);
