import { blockFrames, channelSource } from '@pannet/core/sources/blocks';
import { RecordingReader } from '../playback/recording-reader.ts';
import { answer } from '../workers/ask.ts';
import { outlineFrames, type OutlineRequest } from './outline.ts';

/** So many blocks between two pictures of how far it has come. */
const blocksAPicture = 40;

answer<OutlineRequest, Float32Array, Float32Array>(async ({ recording, channel }, tell) => {
  const reader = new RecordingReader(4e6, 8);
  reader.know([recording]);
  const source = channelSource(recording, channel);
  const ends = new Float32Array(2 * Math.ceil(source.frames / outlineFrames));
  const blocks = Math.ceil(source.frames / blockFrames);
  for (let index = 0; index < blocks; index++) {
    const block = await reader.load(source, index);
    for (let n = 0; n < block.length; n += outlineFrames) {
      const until = Math.min(block.length, n + outlineFrames);
      let least = block[n];
      let most = least;
      for (let k = n + 1; k < until; k++) {
        if (block[k] < least) least = block[k];
        else if (block[k] > most) most = block[k];
      }
      const at = 2 * ((index * blockFrames + n) / outlineFrames);
      ends[at] = least;
      ends[at + 1] = most;
    }
    if (index % blocksAPicture === blocksAPicture - 1) tell(ends.slice());
  }
  return ends;
});
