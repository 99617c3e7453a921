import { describe, expect, test } from '@jest/globals';
import { noise } from '../measurement/signals.fixture.ts';
import { sidesByBand } from '../measurement/across-bands.ts';
import { stereoSpectra } from '../measurement/spectra.ts';
import { memorySong } from '../rendering/memory.fixture.ts';
import { roots } from '../rendering/plan.ts';
import { feedOf } from '../rooms/feeds.ts';
import { newRoom } from '../rooms/room.ts';
import { groupOfParts } from '../song/along.ts';
import { apply } from '../song/commands.ts';
import type { Edit } from '../song/edits/edit.ts';
import type { Song } from '../song/song.ts';
import { alongWindowS, crowdedAlong, PlacesAlong } from './places-along.ts';
import { soundingIn } from './sounding.ts';

const rate = 48_000;
const { abs } = Math;

const silent = (seconds: number) => new Float32Array(seconds * rate);
/** Noise in one octave round 1 kHz would do as well: what matters is where and when it is. */
function along(
  name: string,
  seconds: number,
  gains: (second: number) => readonly [number, number],
  seed = 1,
) {
  const dry = noise(seconds, rate, seed);
  const side = (n: 0 | 1) => dry.map((value, at) => value * gains(Math.floor(at / rate))[n]);
  const places = new PlacesAlong(rate);
  places.add(side(0), side(1));
  return { id: name, name, bands: places.end(), windows: places.windows };
}

describe('places along a song', () => {
  test('each window tells where it lies by itself, and all of it what a whole measurement tells', () => {
    const [left, right] = [noise(9, rate, 1), noise(9, rate, 2)];
    right.fill(0, 0, 4 * rate);
    left.fill(0, 4 * rate);
    const places = new PlacesAlong(rate);
    places.add(left, right);
    const whole = places.end();
    expect(places.windows).toHaveLength(5);
    const placeAt = (window: number) => places.windows[window].find(({ hz }) => hz === 1000)?.place;
    expect([0, 1, 2, 3, 4].map(placeAt)).toEqual([-1, -1, 1, 1, 1]);
    for (const [n, band] of sidesByBand(
      stereoSpectra(left, right, rate),
      rate,
      left.length,
    ).entries()) {
      if (band.hz < 100) continue;
      expect(abs(band.levelDb - whole[n].levelDb)).toBeLessThan(0.5);
      expect(abs((band.place ?? 0) - (whole[n].place ?? 0))).toBeLessThan(0.05);
    }
  });

  test('it is the same in whatever pieces it comes', () => {
    const [left, right] = [noise(5, rate, 3), noise(5, rate, 4)];
    const inPieces = (size: number) => {
      const places = new PlacesAlong(rate);
      for (let at = 0; at < left.length; at += size)
        places.add(left.subarray(at, at + size), right.subarray(at, at + size));
      return [places.end(), places.windows];
    };
    expect(inPieces(128)).toEqual(inPieces(left.length));
    expect(inPieces(70_001)).toEqual(inPieces(left.length));
  });

  test('nothing is nowhere', () => {
    expect(new PlacesAlong(rate).end()).toEqual([]);
    const places = new PlacesAlong(rate);
    places.add(silent(3), silent(3));
    const quiet = { id: 'q', name: 'Quiet', bands: places.end(), windows: places.windows };
    expect(crowdedAlong([quiet, along('Loud', 3, () => [1, 1])])).toEqual([]);
  });
});

describe('what is crowded along a song', () => {
  test('two that share a place for four seconds are told with when that is, and not where one of them is silent or elsewhere', () => {
    const steady = along('Harp', 12, () => [0.5, 0.5]);
    const moving = along('Lute', 12, (s) => (s < 4 ? [0.5, 0] : s < 8 ? [0.5, 0.5] : [0, 0.5]), 2);
    const resting = along('Drum', 12, (s) => (s >= 10 ? [0.5, 0.5] : [0, 0]), 3);
    const found = crowdedAlong([steady, moving, resting], 60);
    expect(found.map(({ ids }) => ids)).toEqual([
      ['Harp', 'Lute'],
      ['Harp', 'Drum'],
    ]);
    const [harpAndLute, harpAndDrum] = found;
    expect(harpAndLute.worst).toEqual([2, 4]);
    expect(harpAndLute.sentence).toContain('Harp and Lute share place and band at 1:04–1:08');
    expect(harpAndLute.shares[0]).toBeLessThan(0.1);
    expect(harpAndLute.shares[5]).toBeLessThan(0.1);
    expect(harpAndDrum.shares.slice(0, 5)).toEqual([0, 0, 0, 0, 0]);
    expect(harpAndDrum.worst).toEqual([5, 6]);
    expect(alongWindowS).toBe(2);
  });

  test('a room is not in the way of what goes into it', () => {
    const dry = along('Harp', 6, () => [0.5, 0.5]);
    const hall = { ...along('Hall', 6, () => [0.5, 0.5], 2), fedBy: ['Harp'] };
    const other = along('Lute', 6, () => [0.5, 0.5], 3);
    const pairs = crowdedAlong([dry, other, hall]).map(({ ids }) => ids.join());
    expect(pairs.sort()).toEqual(['Harp,Lute', 'Lute,Hall']);
  });

  test('a far side is a crowd only while three or more are out there', () => {
    const out = (name: string, until: number, seed: number) =>
      along(name, 8, (s) => (s < until ? [1, 0] : [0.7, 0.7]), seed);
    const found = crowdedAlong([out('A', 8, 1), out('B', 4, 2), out('C', 8, 3)]);
    const far = found.find(({ code }) => code === 'far-side');
    expect(far?.worst).toEqual([0, 2]);
    expect(far?.sentence).toContain('The far left is crowded at 0:00–0:04: of A, B and C');
  });
});

test('what sounds: parts as their outermost group gives them on, rooms that something goes into, nothing muted', () => {
  const signals = [0, 1, 2].map((seed) => noise(1, rate, seed + 1));
  const edits: Edit[] = [
    {
      kind: 'set-groups',
      groups: [
        groupOfParts('outer', 'Outer', []),
        { ...groupOfParts('inner', 'Inner', ['p0']), parentId: 'outer' },
      ],
    },
    { kind: 'set-part', partId: 'p2', changes: { muted: true } },
    {
      kind: 'set-rooms',
      rooms: [
        newRoom('r', 'Hall', { feeds: [feedOf('p1')] }),
        newRoom('muted', 'Muted', { feeds: [feedOf('p1')], muted: true }),
        newRoom('unfed', 'Unfed', { feeds: [feedOf('p2')] }),
      ],
    },
  ];
  const outcome = apply(memorySong(signals).song, { id: 'c', name: 'c', role: 'do', edits });
  if (!outcome.ok) throw new Error(outcome.error.sentence);
  const song: Song = outcome.value.song;
  expect(
    soundingIn(song).map(({ id, root, partIds, fedBy }) => [id, root, partIds, fedBy]),
  ).toEqual([
    ['p0', roots.group('outer'), ['p0'], []],
    ['p1', roots.part('p1'), ['p1'], []],
    ['r', roots.room('r'), ['p1'], ['p1', 'r']],
  ]);
});
