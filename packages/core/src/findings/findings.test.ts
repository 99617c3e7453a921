import { describe, expect, test } from '@jest/globals';
import { neutralStage } from '../image/stage.ts';
import { delayed, noise } from '../measurement/signals.fixture.ts';
import { measureStereo } from '../measurement/report.ts';
import { memorySong } from '../rendering/memory.fixture.ts';
import type { Family } from '../song/song.ts';
import type { SourceFacts } from '../sources/facts.ts';
import { newVoice } from '../voices/voice.ts';
import { findingsOf } from './findings.ts';
import { levelOf } from './measure-part.ts';
import { sourceFindings } from './source-findings.ts';

const rate = 48_000;
const take = noise(6, rate, 70, 0.1);
const other = noise(6, rate, 71, 0.1);
const codes = (left: Float32Array, right: Float32Array) =>
  findingsOf(measureStereo(left, right, rate).report).map((finding) => finding.code);

test.each<[string, Float32Array, Float32Array, string[]]>([
  ['a double-tracked pair', take, other, ['nothing-wrong']],
  ['a mono pair', take, take, ['still-mono']],
  ['a late copy', take, delayed(take, 672), ['only-a-copy', 'hollow', 'leads']],
  ['an opposite side', take, take.map((value) => -value), ['cancels', 'drops']],
  ['a heavy side', take, other.map((value) => value / 2), ['leans']],
  ['silence', new Float32Array(rate), new Float32Array(rate), ['silent']],
  [
    'a pair that is too hot',
    take.map((value) => value * 7),
    other.map((value) => value * 7),
    ['over-peak'],
  ],
])('%s', (_, left, right, expected) => {
  expect(codes(left, right)).toEqual(expected);
});

describe('what the source says', () => {
  const partOf = (family: Family, delays: readonly number[], facts: object = {}) => {
    const voices = delays.map((value, n) =>
      newVoice(`v${n}`, `voice ${n}`, { delay: { value, unit: 'ms' } }),
    );
    const { song } = memorySong([take.subarray(0, rate)], rate, { voices, stage: neutralStage });
    const [hash] = Object.keys(song.recordings);
    const known = { struck: false, driven: false, clippedRuns: 0, ...facts } as SourceFacts;
    const recordings = { [hash]: { ...song.recordings[hash], facts: known } };
    const part = { ...song.parts.p0, family };
    return sourceFindings({ ...song, recordings }, part).map(({ code }) => code);
  };

  test.each<[Family, number[], object, string[]]>([
    ['struck', [0, 9], {}, []],
    ['struck', [0, 18], {}, ['echo']],
    ['plucked', [0, 18], { struck: true }, ['echo']],
    ['plucked', [0, 18], {}, []],
    ['voice', [0, 30], {}, []],
    // What the engineer has said counts: consonants are no blows.
    ['voice', [0, 30], { struck: true }, []],
    ['other', [0, 18], { struck: true }, ['echo']],
    ['voice', [0, 45], {}, ['echo']],
    ['bowed', [0, 45], {}, []],
    ['bowed', [100, 120], {}, []],
    ['bowed', [-30, 30], {}, ['echo']],
    ['bowed', [0], { clippedRuns: 3 }, ['clipped']],
  ])('%s with voices at %j ms, %j: %j', (family, delays, facts, codes) => {
    expect(partOf(family, delays, facts)).toEqual(codes);
  });
});

test('what lies in the middle is read once, and is as loud as both its sides', () => {
  const side = noise(3, rate, 21, 0.2);
  const once = levelOf([side, side], rate);
  const twice = levelOf([side, side.slice()], rate);
  expect(once.lufs).toBeCloseTo(twice.lufs ?? 0, 4);
  expect(once.foldLufs).toBeCloseTo(twice.foldLufs ?? 0, 9);
  expect(once.truePeakDbtp).toBe(twice.truePeakDbtp);
});
