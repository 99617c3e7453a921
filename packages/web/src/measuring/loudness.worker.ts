import { levelOf } from '@pannet/core/findings/measure-part';
import { type Level } from '@pannet/core/findings/part-figures';
import { renderPart } from '@pannet/core/rendering/offline';
import { planOfPart } from '../playback/prepared-song.ts';
import { RecordingReader } from '../playback/recording-reader.ts';
import type { FromLoudness, LoudnessJob } from './messages.ts';

const reader = new RecordingReader(64e6, 8);
const post = (message: FromLoudness) => postMessage(message);
let last = 0;

onmessage = (event: MessageEvent<LoudnessJob>) => {
  last = event.data.id;
  void compare(event.data);
};

/** Loudness and true peak of one part in each of several states of its song, over the same stretch. */
async function compare({ id, songs, partId, from, to, splices }: LoudnessJob): Promise<void> {
  try {
    const levels: Level[] = [];
    for (const song of songs) {
      const plan = await planOfPart(song, partId, reader, splices);
      const sides = [new Float32Array(to - from), new Float32Array(to - from)];
      for await (const { frame, left, right } of renderPart(plan, partId, reader.load, from, to)) {
        sides[0].set(left, frame - from);
        sides[1].set(right, frame - from);
        // Between two blocks a newer question may come.
        await new Promise((resolve) => setTimeout(resolve));
        if (last !== id) return;
      }
      levels.push(levelOf(sides, plan.rateHz));
    }
    post({ kind: 'loudness', id, levels });
  } catch (error) {
    post({ kind: 'failed', id, sentence: error instanceof Error ? error.message : String(error) });
  }
}
