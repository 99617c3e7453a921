import { describe, expect, test } from '@jest/globals';
import { apply } from '@pannet/core/song/commands';
import { emptySong, type Recording, type Song } from '@pannet/core/song/song';
import { exportNames } from '../handoff/stems.ts';
import { alikeKey, arrivals, place, type Answer } from './placing.ts';

const noFacts = {
  peak: 0.5,
  clippedRuns: 0,
  silences: [],
  struck: false,
  driven: false,
  differenceDb: null,
  notFinite: 0,
};

function recording(n: number, fileName: string, channels: 1 | 2): Recording {
  return {
    hash: String(n).padStart(64, '0'),
    fileName,
    encoding: 'pcm',
    bitsPerSample: 24,
    channels,
    rateHz: 44_100,
    frames: 1000,
    dataOffset: 68,
    bytesPerFrame: 3 * channels,
  };
}

let ids = 0;
const newId = () => `part-${ids++}`;

function bring(song: Song, recordings: readonly Recording[], answer: Answer): Song {
  const { edits } = place(song, { recordings }, answer, newId);
  const done = apply(song, { id: 'c', name: 'import', role: 'do', edits });
  if (!done.ok) throw new Error(done.error.sentence);
  return done.value.song;
}

const empty = emptySong('s', 'S');
const partsOf = (song: Song) => song.partOrder.map((id) => song.parts[id]);
const choices = (song: Song, recordings: readonly Recording[], beside = 0) =>
  arrivals(song, recordings, beside).map((row) => [
    row.recordings.map(({ fileName }) => fileName).join('+'),
    row.choices[0],
  ]);

describe('what files become', () => {
  test('the first decides the rate; a stereo file is a pair of both its channels, hard left and right', () => {
    const song = bring(empty, [recording(3, 'room.wav', 2)], 'pair');
    expect(song.rateHz).toBe(44_100);
    const [part] = partsOf(song);
    expect(part).toMatchObject({
      name: 'room',
      takes: [
        { channel: 0, name: 'left' },
        { channel: 1, name: 'right' },
      ],
    });
    expect(part.image.voices).toMatchObject([
      { name: 'left', take: 1, placement: { panPercent: -100 } },
      { name: 'right', take: 2, placement: { panPercent: 100 } },
    ]);
  });

  test.each([2, 3, 4, 5])('%d takes of one part stand left and right in turn', (count) => {
    const files = Array.from({ length: count }, (_, n) =>
      recording(n, `Harp take ${n + 1}.wav`, 1),
    );
    const [part] = partsOf(bring(empty, files, 'takes'));
    expect(part.name).toBe('Harp');
    expect(part.takes.map(({ name }) => name)).toEqual(files.map((_, n) => `Harp take ${n + 1}`));
    const places = part.image.voices.map(({ placement }) =>
      placement.kind === 'pan' ? placement.panPercent : null,
    );
    expect(places).toEqual(
      [-100, 100, -100, 100, 0].slice(0, count - (count % 2)).concat(count % 2 ? [0] : []),
    );
    expect(new Set(part.image.voices.map(({ name }) => name)).size).toBe(count);
    expect(part.image.voices.map(({ take }) => take)).toEqual(files.map((_, n) => n + 1));
  });

  test('a part each, the bed, the left channel alone, or nothing', () => {
    const files = [recording(1, 'a 1.wav', 1), recording(2, 'a 2.wav', 1)];
    expect(partsOf(bring(empty, files, 'parts')).map(({ name }) => name)).toEqual(['a 1', 'a 2']);
    const stereo = recording(3, 'mix.wav', 2);
    expect(bring(empty, [stereo], 'bed').bed).toEqual({ recording: stereo.hash, levelDb: 0 });
    expect(partsOf(bring(empty, [stereo], 'left'))[0].takes).toHaveLength(1);
    expect(place(empty, { recordings: [stereo] }, 'left', newId).sentence).toMatch(
      /the right one is left out/,
    );
    expect(place(empty, { recordings: [stereo] }, 'nothing', newId).edits).toEqual([]);
  });

  test('the same file twice is one recording and two parts', () => {
    const once = bring(empty, [recording(1, 'a.wav', 1)], 'part');
    const twice = bring(once, [recording(1, 'a.wav', 1)], 'part');
    expect(Object.keys(twice.recordings)).toHaveLength(1);
    expect(twice.partOrder).toHaveLength(2);
    expect(exportNames(twice, twice.partOrder)).toEqual(['a_wide.wav', 'a_wide-2.wav']);
  });
});

describe('what is asked', () => {
  test('one stereo file beside mono ones is the bed, without a question', () => {
    const mix = recording(9, 'rough.wav', 2);
    expect(arrivals(empty, [mix], 3)[0].choices).toEqual(['bed']);
    // Alone it may be a pair as well, and where there is a bed it is no second one.
    expect(arrivals(empty, [mix])[0].choices).toEqual(['pair', 'left', 'bed', 'nothing']);
    const withBed = bring(empty, [mix], 'bed');
    expect(arrivals(withBed, [recording(8, 'room.wav', 2)], 3)[0].choices).toEqual([
      'pair',
      'left',
      'nothing',
    ]);
  });

  test('files named alike are takes of one part; what is mono in effect is no stereo file', () => {
    const facts = { ...noFacts, differenceDb: 90 };
    expect(
      choices(empty, [
        recording(1, 'harp L.wav', 1),
        recording(2, 'hum.wav', 1),
        recording(3, 'harp R.wav', 1),
        { ...recording(4, 'twin.wav', 2), facts },
        recording(5, 'room.wav', 2),
        recording(6, 'hall.wav', 2),
      ]),
    ).toEqual([
      ['harp L.wav+harp R.wav', 'takes'],
      ['hum.wav', 'part'],
      ['twin.wav', 'part'],
      ['room.wav', 'pair'],
      ['hall.wav', 'pair'],
    ]);
  });

  test.each([
    ['harp take 1.wav', 'harp'],
    ['Harp-02.wav', 'harp'],
    ['verse_left.flac', 'verse'],
    ['gtr dbl R.wav', 'gtr'],
    ['bar.wav', null],
    ['left.wav', null],
    ['7.wav', null],
    ['one.wav', null],
  ])('%s is named alike by %s', (name, key) => {
    expect(alikeKey(name)).toBe(key);
  });
});

test('what a source is taken for is said as a guess', () => {
  const { sentence } = place(empty, { recordings: [recording(1, 'Harp.wav', 1)] }, 'part', newId);
  expect(sentence).toMatch(
    /Taken for something plucked, a guess: the mark in its row changes that/,
  );
});
