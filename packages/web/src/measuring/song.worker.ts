import { measureStereo } from '@pannet/core/measurement/report';
import { renderPart } from '@pannet/core/rendering/offline';
import { partsInOrder } from '@pannet/core/song/song';
import { planOfPart } from '../playback/prepared-song.ts';
import { RecordingReader } from '../playback/recording-reader.ts';
import type { FromFileMeasurer, SongJob } from './messages.ts';

const reader = new RecordingReader(64e6, 8);
const post = (message: FromFileMeasurer) => postMessage(message);
const tellEveryMs = 100;
let told = 0;

/** Adds up all parts that are not muted, as they are exported, and measures the sum; ended by its owner if it is to stop. */
onmessage = async ({ data: { song, from, to, splices } }: MessageEvent<SongJob>) => {
  const tick = (share: number) => {
    if (performance.now() - told < tellEveryMs) return;
    told = performance.now();
    post({ kind: 'progress', share });
  };
  try {
    const left = new Float32Array(to - from);
    const right = new Float32Array(to - from);
    const parts = partsInOrder(song).filter(({ muted }) => !muted);
    for (const [n, { id }] of parts.entries()) {
      const plan = await planOfPart(song, id, reader, splices);
      for await (const block of renderPart(plan, id, reader.load, from, to)) {
        const at = block.frame - from;
        for (let k = 0; k < block.left.length; k++) {
          left[at + k] += block.left[k];
          right[at + k] += block.right[k];
        }
        tick((0.8 * (n + (at + block.left.length) / (to - from))) / parts.length);
      }
    }
    const rateHz = song.rateHz ?? 48_000;
    const measured = measureStereo(left, right, rateHz, (share) => tick(0.8 + 0.2 * share));
    post({ kind: 'done', file: { ...measured, seconds: (to - from) / rateHz, channels: 2 } });
  } catch (error) {
    post({ kind: 'failed', sentence: error instanceof Error ? error.message : String(error) });
  }
};
