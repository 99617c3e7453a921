import { mostReduction } from '@pannet/core/derived/reduction';
import { makingLoader } from '@pannet/core/derived/making';
import { takeSource } from '@pannet/core/derived/take-source';
import { measurePart, type KnownPlain } from '@pannet/core/findings/measure-part';
import { planOfPart } from '../playback/prepared-song.ts';
import { RecordingReader } from '../playback/recording-reader.ts';
import { Asked } from './asked.ts';
import type { FromMeasurer, MeasureJob } from './messages.ts';

const reader = new RecordingReader(96e6, 8);
const plains: KnownPlain = new Map();
const post = (message: FromMeasurer) => postMessage(message);

/** No more often than this is progress told. */
const tellEveryMs = 100;
let told = 0;
/** It rests no longer at once. */
const mostPauseMs = 300;

class Stopped extends Error {}

onmessage = (event: MessageEvent<MeasureJob>) => void measure(event.data);

async function measure(job: MeasureJob): Promise<void> {
  const { id, song, partId, from, to, splices } = job;
  const asked = job.asked && new Asked(job.asked);
  const tick = (share: number) => {
    asked?.pause(mostPauseMs);
    if (asked && !asked.isWanted(id)) throw new Stopped();
    if (performance.now() - told < tellEveryMs) return;
    told = performance.now();
    post({ kind: 'progress', id, share });
  };
  try {
    tick(0);
    const plan = await planOfPart(song, partId, reader, splices, () => tick(0));
    const figures = await measurePart(plan, partId, reader.load, from, to, tick, plains);
    const { preparation, takes } = song.parts[partId];
    const reductionDb = await mostReduction(
      preparation,
      takeSource(song, takes[0]),
      plan.rateHz,
      makingLoader(reader.load),
      from,
      to,
    );
    post({ kind: 'measured', id, measured: { ...figures, reductionDb } });
  } catch (error) {
    if (error instanceof Stopped) post({ kind: 'stopped', id });
    else
      post({
        kind: 'failed',
        id,
        sentence: error instanceof Error ? error.message : String(error),
      });
  }
}
