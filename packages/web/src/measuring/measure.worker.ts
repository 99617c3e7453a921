import { mostReduction } from '@pannet/core/derived/reduction';
import { takeSource } from '@pannet/core/derived/splice-library';
import { LoudnessMeter } from '@pannet/core/measurement/loudness';
import { measureStereo } from '@pannet/core/measurement/report';
import { renderPart, renderStretch } from '@pannet/core/rendering/offline';
import { planOfPart } from '../playback/prepared-song.ts';
import { RecordingReader } from '../playback/recording-reader.ts';
import type { FromMeasurer, MeasureJob } from './messages.ts';

const reader = new RecordingReader(96e6);
const post = (message: FromMeasurer) => postMessage(message);

/** No more often than this is progress told. */
const tellEveryMs = 100;
let told = 0;

class Stopped extends Error {}

onmessage = (event: MessageEvent<MeasureJob>) => void measure(event.data);

async function measure(job: MeasureJob): Promise<void> {
  const { id, song, partId, from, to, wanted, splices } = job;
  const tick = (share: number) => {
    if (wanted && Atomics.load(wanted, 0) !== id) throw new Stopped();
    if (performance.now() - told < tellEveryMs) return;
    told = performance.now();
    post({ kind: 'progress', id, share });
  };
  try {
    tick(0);
    const plan = await planOfPart(song, partId, reader, splices);
    const image = await renderStretch(plan, partId, reader.load, from, to, 'image', (share) =>
      tick(0.4 * share),
    );
    const plain = new LoudnessMeter(plan.rateHz, 2);
    for await (const block of renderPart(plan, partId, reader.load, from, to, 'plain')) {
      plain.process([block.left, block.right], block.left.length);
      tick(0.4 + (0.1 * (block.frame - from)) / (to - from));
    }
    const plainLufs = plain.integrated();
    const { preparation, takes } = song.parts[partId];
    const reductionDb = await mostReduction(
      preparation,
      takeSource(song, takes[0]),
      plan.rateHz,
      reader.load,
      from,
      to,
    );
    const measured = measureStereo(image.left, image.right, plan.rateHz, (share) =>
      tick(0.5 + 0.5 * share),
    );
    post({
      kind: 'measured',
      id,
      measured: {
        ...measured,
        plainLufs: Number.isFinite(plainLufs) ? plainLufs : null,
        reductionDb,
      },
    });
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
