import {
  compareChains,
  evenedChains,
  type ChainsApart,
  type EvenedChains,
} from '@pannet/core/findings/chains';
import type { Outcome } from '@pannet/core/outcome';
import type { Song } from '@pannet/core/song/song';
import { planOfPart } from '../playback/prepared-song.ts';
import { RecordingReader } from '../playback/recording-reader.ts';
import { answer, seldom } from '../workers/ask.ts';
import type { ChainsRequest } from './chains-question.ts';

answer<ChainsRequest, ChainsApart | Outcome<EvenedChains>>((asked, tell) => {
  const reader = new RecordingReader(64e6, 8);
  const planFor = (song: Song) => planOfPart(song, asked.partId, reader, asked.splices);
  const work = asked.what === 'even' ? evenedChains : compareChains;
  return work(asked, planFor, reader.load, seldom(tell));
});
