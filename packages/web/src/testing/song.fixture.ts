import { recipes } from '@pannet/core/image/recipes';
import { apply } from '@pannet/core/song/commands';
import type { Edit } from '@pannet/core/song/edits/edit';
import { emptySong, newPart, type Recording, type Song } from '@pannet/core/song/song';

export function recordingOf(n: number, channels: 1 | 2 = 1): Recording {
  return {
    hash: String(n).padStart(64, '0'),
    fileName: `take-${n}.wav`,
    encoding: 'pcm',
    bitsPerSample: 16,
    channels,
    rateHz: 48_000,
    frames: 100_000,
    dataOffset: 44,
    bytesPerFrame: 2 * channels,
  };
}

/** Two parts, Hum plain and Harp with tuned doubles. */
export function twoParts(): Song {
  const edits: Edit[] = [{ kind: 'set-rate', rateHz: 48_000 }];
  for (const [n, name] of ['Hum', 'Harp'].entries()) {
    edits.push(
      { kind: 'put-recording', recording: recordingOf(n) },
      {
        kind: 'add-part',
        index: n,
        part: newPart(
          name.toLowerCase(),
          name,
          n ? 'plucked' : 'voice',
          [{ recording: recordingOf(n).hash, channel: 0 }],
          n ? { image: recipes[1].image } : {},
        ),
      },
    );
  }
  const made = apply(emptySong('s', 'Two'), { id: 'c', name: 'make', role: 'do', edits });
  if (!made.ok) throw new Error(made.error.sentence);
  return made.value.song;
}
