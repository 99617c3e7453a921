import { LagTables } from '@pannet/core/derived/lag-tables';
import { prepareSplices } from '@pannet/core/rendering/offline';
import type { BlockLoader } from '@pannet/core/sources/blocks';
import type { FromSplicer, SpliceJob, ToSplicer } from './messages.ts';
import { RecordingReader } from './recording-reader.ts';

/**
 * Planned at once round the playhead, so that a change of tuning is heard before all of the take is planned: the next moment of every
 * need, then some seconds of each.
 */
const behindSeconds = 0.3;
const aheadSeconds = [1.3, 4] as const;
/** So long it works before it looks whether it is still wanted. */
const breatheEveryMs = 15;

const reader = new RecordingReader(64e6, 8);
/** Straight to the worklet, since the page may be busy drawing. */
let worklet: MessagePort | null = null;
const post = (message: FromSplicer) => {
  if (message.kind === 'splices') worklet?.postMessage(message);
  postMessage(message);
};
const tables = new LagTables();
/** Plans of whole takes that were posted. */
const whole = new Set<string>();
/** Where the coarse plans lie that were posted. */
const coarse = new Map<string, { readonly from: number; readonly to: number }>();
let job: SpliceJob | null = null;
let working = false;

onmessage = ({ data }: MessageEvent<ToSplicer>) => {
  if (data.kind === 'worklet') {
    worklet = data.port;
    return;
  }
  if (data.kind === 'forget') {
    for (const key of data.keys) {
      whole.delete(key);
      coarse.delete(key);
    }
    return;
  }
  job = data;
  reader.know(job.recordings);
  if (!working) void work();
};

class Overtaken extends Error {}

async function work(): Promise<void> {
  working = true;
  let current = job;
  while (current) {
    try {
      await plan(current);
    } catch (error) {
      if (!(error instanceof Overtaken))
        post({ kind: 'failed', sentence: error instanceof Error ? error.message : String(error) });
    }
    // Messages that came meanwhile have replaced the job.
    current = job === current ? null : job;
  }
  working = false;
}

/** First what is heard next of every need, then all of each. */
async function plan(current: SpliceJob): Promise<void> {
  const { needs, frame, rateHz } = current;
  const missing = needs.filter(({ key }) => !whole.has(key));
  const load = patient(current);
  for (const ahead of aheadSeconds)
    for (const need of missing) {
      const before = coarse.get(need.key);
      const from = Math.max(0, Math.round(frame - behindSeconds * rateHz));
      const to = frame + ahead * rateHz;
      // What was planned before goes on for half of that at least.
      const covered = before && frame >= before.from && frame + (ahead / 2) * rateHz <= before.to;
      if (covered) continue;
      coarse.set(need.key, { from, to });
      const splices = await prepareSplices(need, rateHz, load, { from, to }, tables);
      post({ kind: 'splices', key: need.key, splices });
    }
  for (const need of missing) {
    const splices = await prepareSplices(need, rateHz, load, {}, tables);
    whole.add(need.key);
    coarse.delete(need.key);
    post({ kind: 'splices', key: need.key, splices });
  }
}

/** A loader that now and then lets messages in, and gives up if one of them asks for something else. */
function patient(current: SpliceJob): BlockLoader {
  let breathed = performance.now();
  return async (source, index) => {
    if (performance.now() - breathed > breatheEveryMs) {
      await new Promise((resolve) => setTimeout(resolve));
      breathed = performance.now();
      if (job !== current) throw new Overtaken();
    }
    return reader.load(source, index);
  };
}
