import { takeSource } from '@pannet/core/derived/splice-library';
import type { Song, Take } from '@pannet/core/song/song';
import { blockFrames } from '@pannet/core/sources/blocks';
import { RecordingReader } from '../playback/recording-reader.ts';

export interface PeaksJob {
  readonly id: number;
  readonly song: Song;
  readonly take: Pick<Take, 'recording' | 'channel'>;
  readonly columns: number;
}

export interface Peaks {
  readonly id: number;
  /** Largest magnitude of each column, 0 to 1 and beyond. */
  readonly peaks: Float32Array;
  readonly done: boolean;
}

const reader = new RecordingReader(4e6, 8);
let newest = 0;

onmessage = (event: MessageEvent<PeaksJob>) => void draw(event.data);

async function draw({ id, song, take, columns }: PeaksJob): Promise<void> {
  newest = id;
  reader.know(song.recordings);
  const source = takeSource(song, take);
  const peaks = new Float32Array(columns);
  const blocks = Math.ceil(source.frames / blockFrames);
  for (let index = 0; index < blocks; index++) {
    const block = await reader.load(source, index);
    if (newest !== id) return;
    for (let n = 0; n < block.length; n++) {
      const column = Math.floor(((index * blockFrames + n) / source.frames) * columns);
      const size = Math.abs(block[n]);
      if (size > peaks[column]) peaks[column] = size;
    }
    const done = index === blocks - 1;
    if (done || index % 40 === 39) postMessage({ id, peaks: peaks.slice(), done } satisfies Peaks);
  }
}
