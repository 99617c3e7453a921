import { measureStereo } from '@pannet/core/measurement/report';
import { renderRoot } from '@pannet/core/rendering/offline';
import { planOfParts } from '../playback/prepared-song.ts';
import { RecordingReader } from '../playback/recording-reader.ts';
import { answer, seldom } from '../workers/ask.ts';
import { bedRoot, type MeasuredFile, type SongJob } from './messages.ts';

const reader = new RecordingReader(64e6, 8);

/** Measures the song (or what a room gives back) as it would be exported, without what is muted and without the bed. */
answer<SongJob, MeasuredFile>(async ({ song, root, from, to, splices }, tell) => {
  const tick = seldom(tell);
  const plan = await planOfParts(song, song.partOrder, reader, splices);
  const node = root === bedRoot ? plan.nodes.find(({ kind }) => kind === 'bed') : null;
  const left = new Float32Array(to - from);
  const right = new Float32Array(to - from);
  for await (const block of renderRoot(plan, node?.id ?? root, reader.load, from, to)) {
    left.set(block.left, block.frame - from);
    right.set(block.right, block.frame - from);
    tick((0.8 * (block.frame - from + block.left.length)) / (to - from));
  }
  const measured = measureStereo(left, right, plan.rateHz, (share) => tick(0.8 + 0.2 * share));
  return { ...measured, seconds: (to - from) / plan.rateHz, channels: 2 };
});
