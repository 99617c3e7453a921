import { LoudnessMeter } from '@pannet/core/measurement/loudness';
import { renderPart } from '@pannet/core/rendering/offline';
import { planOfPart } from '../playback/prepared-song.ts';
import { RecordingReader } from '../playback/recording-reader.ts';
import type { FromLoudness, LoudnessJob } from './messages.ts';

const reader = new RecordingReader(64e6);
const post = (message: FromLoudness) => postMessage(message);
let last = 0;

onmessage = (event: MessageEvent<LoudnessJob>) => {
  last = event.data.id;
  void compare(event.data);
};

/** Loudness of one part in each of several states of its song, over the same stretch. */
async function compare({ id, songs, partId, from, to, splices }: LoudnessJob): Promise<void> {
  try {
    const lufs: number[] = [];
    for (const song of songs) {
      const plan = await planOfPart(song, partId, reader, splices);
      const meter = new LoudnessMeter(plan.rateHz, 2);
      for await (const { left, right } of renderPart(plan, partId, reader.load, from, to)) {
        meter.process([left, right], left.length);
        // Between two blocks a newer question may come.
        await new Promise((resolve) => setTimeout(resolve));
        if (last !== id) return;
      }
      lufs.push(meter.integrated());
    }
    post({ kind: 'loudness', id, lufs });
  } catch (error) {
    post({ kind: 'failed', id, sentence: error instanceof Error ? error.message : String(error) });
  }
}
