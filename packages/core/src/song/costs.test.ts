import { expect, test } from '@jest/globals';
import { ampDescription } from '../amps/amp.ts';
import { neutralStage } from '../image/stage.ts';
import { feedOf } from '../rooms/feeds.ts';
import { startingRoom } from '../rooms/starting.ts';
import { newVoice, type VoiceChanges } from '../voices/voice.ts';
import { costliest } from './costs.ts';
import { partKey } from './frozen.ts';
import { emptySong, newPart, type Part, type Recording, type Song } from './song.ts';

const hash = 'a'.repeat(64);
const recording: Recording = {
  ...{ hash, fileName: 'take.wav', encoding: 'pcm', bitsPerSample: 24, channels: 1 },
  ...{ rateHz: 48_000, frames: 48_000, dataOffset: 44, bytesPerFrame: 3 },
};
const part = (id: string, ...voices: VoiceChanges[]): Part =>
  newPart(id, id, 'other', [{ recording: hash, channel: 0 }], {
    image: {
      voices: voices.map((changes, n) => newVoice(`v${n}`, `voice ${n}`, changes)),
      stage: neutralStage,
    },
  });
const tuned: VoiceChanges = { tuner: { cents: 7 } };
const amp = ampDescription.parse({ driveDb: 12 });
const other = ampDescription.parse({ driveDb: 20 });

function songOf(...parts: Part[]): Song {
  return {
    ...emptySong('s', 'S'),
    recordings: { [hash]: recording },
    partOrder: parts.map(({ id }) => id),
    parts: Object.fromEntries(parts.map((one) => [one.id, one])),
  };
}
const names = (song: Song) => costliest(song).map(({ name }) => name);

test('chains cost most, then rooms, then what is tuned; what is plain is not worth it', () => {
  const song = songOf(
    part('plain', {}),
    part('two tuned', tuned, tuned),
    part('two chains', { amp }, { amp: other }),
    part('six tuned', ...Array.from({ length: 6 }, () => tuned)),
  );
  const rooms = [
    { ...startingRoom('hall', 'hall', []), name: 'hall', feeds: [feedOf('plain')] },
    { ...startingRoom('unfed', 'hall', []), name: 'unfed', feeds: [] },
  ];
  expect(names({ ...song, rooms })).toEqual(['two chains', 'six tuned', 'hall', 'two tuned']);
});

test('what goes through a vocoder costs more than what is spliced', () => {
  const chords: VoiceChanges = { tuner: { kind: 'chords', cents: 7 } };
  const dry: VoiceChanges = { tuner: { kind: 'pads', cents: 0 } };
  const parts = [part('three spliced', tuned, tuned, tuned), part('dry', dry), part('one', chords)];
  expect(names(songOf(...parts, part('two', chords, chords)))).toEqual([
    'two',
    'one',
    'three spliced',
  ]);
});

test('voices behind the same chain cost it once; what is muted, or frozen as it is, costs nothing', () => {
  const [one, two] = [part('one', { amp }, { amp }), part('two', { amp }, { amp: other })];
  // Three tuned voices cost less than a second chain.
  const shared = part('shared', { amp, ...tuned }, { amp, ...tuned }, { amp, ...tuned });
  expect(names(songOf(one, shared, two))).toEqual(['two', 'shared', 'one']);
  expect(names(songOf(part('muted', { amp, muted: true })))).toEqual([]);
  expect(names(songOf({ ...one, muted: true }))).toEqual([]);
  const song = songOf(one);
  const frozen = { ...one, frozen: { recording: hash, key: partKey(song, one) } };
  expect(names(songOf(frozen))).toEqual([]);
  // Changed since, it is worked out again.
  expect(names(songOf({ ...frozen, image: two.image }))).toEqual(['one']);
});
