import { integratedLoudness } from '@pannet/core/measurement/loudness';
import { measureStereo } from '@pannet/core/measurement/report';
import { renderStretch } from '@pannet/core/rendering/offline';
import { planOfPart } from '../playback/prepared-song.ts';
import { RecordingReader } from '../playback/recording-reader.ts';
import type { FromMeasurer, MeasureJob } from './messages.ts';

const reader = new RecordingReader(96e6);
const post = (message: FromMeasurer) => postMessage(message);

class Stopped extends Error {}

onmessage = (event: MessageEvent<MeasureJob>) => void measure(event.data);

async function measure(job: MeasureJob): Promise<void> {
  const { id, song, partId, from, to, wanted } = job;
  const tick = (share: number) => {
    if (wanted && Atomics.load(wanted, 0) !== id) throw new Stopped();
    post({ kind: 'progress', id, share });
  };
  try {
    tick(0);
    const plan = await planOfPart(song, partId, reader);
    const image = await renderStretch(plan, partId, reader.load, from, to, 'image', (share) =>
      tick(0.4 * share),
    );
    const plain = await renderStretch(plan, partId, reader.load, from, to, 'plain', (share) =>
      tick(0.4 + 0.1 * share),
    );
    const plainLufs = integratedLoudness([plain.left, plain.right], plan.rateHz);
    const measured = measureStereo(image.left, image.right, plan.rateHz, (share) =>
      tick(0.5 + 0.5 * share),
    );
    post({
      kind: 'measured',
      id,
      measured: { ...measured, plainLufs: Number.isFinite(plainLufs) ? plainLufs : null },
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
