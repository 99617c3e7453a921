import { describe, expect, test } from '@jest/globals';
import { apply } from '@pannet/core/song/commands';
import { emptySong, type Recording, type Song } from '@pannet/core/song/song';
import { exportNames } from '../handoff/export-run.ts';
import { guessFamily, placeRecording } from './import-files.ts';

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

function bring(song: Song, kept: Recording): Song {
  const { edits } = placeRecording(
    song,
    kept,
    `part-of-${kept.hash.slice(-2)}-${song.partOrder.length}`,
  );
  const done = apply(song, { id: 'c', name: 'import', role: 'do', edits });
  if (!done.ok) throw new Error(done.error.sentence);
  return done.value.song;
}

describe('where a recording goes', () => {
  test('the first decides the rate; mono becomes a part, the first stereo the bed, a second its left channel', () => {
    let song = bring(emptySong('s', 'S'), recording(1, 'lead vox.wav', 1));
    expect(song).toMatchObject({ rateHz: 44_100, partOrder: ['part-of-01-0'] });
    song = bring(song, recording(2, 'rough.wav', 2));
    expect(song.bed).toEqual({ recording: recording(2, '', 2).hash, levelDb: 0 });
    song = bring(song, recording(3, 'room.wav', 2));
    expect(song.parts[song.partOrder[1]]).toMatchObject({ name: 'room', takes: [{ channel: 0 }] });
  });

  test('the same file twice is one recording and two parts', () => {
    const once = bring(emptySong('s', 'S'), recording(1, 'a.wav', 1));
    const twice = bring(once, recording(1, 'a.wav', 1));
    expect(Object.keys(twice.recordings)).toHaveLength(1);
    expect(twice.partOrder).toHaveLength(2);
    expect(exportNames(twice, twice.partOrder)).toEqual(['a_wide.wav', 'a_wide-2.wav']);
  });
});

test.each([
  ['Lead Vox 2.wav', 'voice'],
  ['bass_di.wav', 'low'],
  ['gtr L.wav', 'plucked'],
  ['Frame drum.wav', 'struck'],
  ['long-bow.wav', 'bowed'],
  ['organ.wav', 'keys'],
  ['x17.wav', 'other'],
])('%s is guessed to be %s', (fileName, family) => {
  expect(guessFamily(fileName)).toBe(family);
});
