import { describe, expect, test } from '@jest/globals';
import { joined, noise, sine } from '../measurement/signals.fixture.ts';
import { recipes } from '../image/recipes.ts';
import { newPart } from '../song/song.ts';
import { imageFor, recipesFor, suitsOf, tunerFor, type Source } from '../song/fitting-recipes.ts';
import { isTuned } from '../voices/voice.ts';
import { FactFinder, factsOf, isReallyMono } from './facts.ts';

const rate = 48_000;
const silence = (seconds: number) => new Float32Array(seconds * rate);

/** Bursts that die away, as of something that is struck. */
function strikes(count: number, decaySeconds: number): Float32Array {
  const one = noise(0.5, rate, 6, 0.5).map((x, n) => x * Math.exp(-n / rate / decaySeconds));
  return joined(...Array.from({ length: count }, () => one));
}

describe('what a source is', () => {
  test('mono has no difference; equal sides are really mono; unlike ones are not', () => {
    const tone = sine(300, -12, 1, rate);
    expect(factsOf([tone], rate).differenceDb).toBeNull();
    expect(isReallyMono(factsOf([tone, tone], rate))).toBe(true);
    const nearly = tone.map((x, n) => x + 1e-5 * Math.sin(n));
    expect(isReallyMono(factsOf([tone, nearly], rate))).toBe(true);
    expect(isReallyMono(factsOf([tone, sine(301, -12, 1, rate)], rate))).toBe(false);
    // 40 dB are heard.
    const different = tone.map((x, n) => x + 0.0025 * Math.sin(n * 1.1));
    expect(isReallyMono(factsOf([tone, different], rate))).toBe(false);
  });

  test('struck or sustained', () => {
    expect(factsOf([strikes(8, 0.08)], rate).struck).toBe(true);
    expect(factsOf([noise(4, rate, 2)], rate).struck).toBe(false);
    expect(factsOf([sine(220, -9, 4, rate)], rate).struck).toBe(false);
    // Swells are no strikes.
    const swell = noise(4, rate, 3).map((x, n) => x * Math.sin((Math.PI * n) / rate) ** 2);
    expect(factsOf([swell], rate).struck).toBe(false);
  });

  test('clean or driven', () => {
    const loud = sine(220, 0, 4, rate).map((x) => Math.max(-0.4, Math.min(0.4, 3 * x)));
    expect(factsOf([loud], rate).driven).toBe(true);
    expect(factsOf([sine(220, -9, 4, rate)], rate).driven).toBe(false);
    expect(factsOf([noise(4, rate, 2)], rate).driven).toBe(false);
    expect(factsOf([strikes(8, 0.2)], rate).driven).toBe(false);
  });

  test('peak and clipped runs: three samples at full scale in a row, not one', () => {
    const tone = sine(100, -6, 1, rate);
    expect(factsOf([tone], rate)).toMatchObject({ clippedRuns: 0 });
    expect(factsOf([tone], rate).peak).toBeCloseTo(0.501, 3);
    tone[1000] = 1;
    expect(factsOf([tone], rate).clippedRuns).toBe(0);
    tone.fill(-1, 2000, 2003);
    tone.fill(1, 9000, 9050);
    expect(factsOf([tone], rate).clippedRuns).toBe(2);
  });

  test('clipped below full scale: tops of one height that end suddenly, not those of a slow sine or a soft knee', () => {
    const cut = (samples: Float32Array, at: number) =>
      samples.map((x) => Math.max(-at, Math.min(at, x)));
    const louder = noise(2, rate, 41, 0.5);
    expect(factsOf([cut(louder, 0.4)], rate).clippedRuns).toBeGreaterThan(10);
    expect(factsOf([louder], rate).clippedRuns).toBe(0);
    expect(factsOf([louder.map((x) => Math.tanh(2 * x) * 0.6)], rate).clippedRuns).toBe(0);
    for (const hz of [20, 50, 110, 440])
      expect(factsOf([sine(hz, -3, 2, rate)], rate).clippedRuns).toBe(0);
  });

  test('silent stretches of half a second and more, in frames', () => {
    const tone = sine(400, -12, 1, rate);
    const take = joined(silence(0.8), tone, silence(0.3), tone, silence(2));
    expect(factsOf([take], rate).silences).toEqual([
      [0, 38_400],
      [148_800, 244_800],
    ]);
    expect(factsOf([silence(1)], rate)).toMatchObject({ peak: 0, silences: [[0, rate]] });
  });

  test('block by block it is the same', () => {
    const sides = [strikes(6, 0.1), noise(3, rate, 9)];
    const finder = new FactFinder(rate);
    for (let at = 0; at < sides[0].length; at += 7001)
      finder.add(sides.map((side) => side.subarray(at, at + 7001)));
    expect(finder.facts()).toEqual(factsOf(sides, rate));
  });
});

describe('recipes that fit', () => {
  const facts = { struck: false, driven: false };

  test('a source is what its family and its sound tell', () => {
    expect(suitsOf({ family: 'voice', facts })).toEqual(['single lines']);
    // What is plucked and not driven yet is what chains are for.
    expect(suitsOf({ family: 'plucked', facts: { ...facts, struck: true } })).toEqual([
      'clean',
      'struck',
    ]);
    expect(suitsOf({ family: 'plucked', facts })).toEqual(['clean', 'chords']);
    expect(suitsOf({ family: 'plucked', facts: undefined })).toEqual(['chords']);
    expect(suitsOf({ family: 'low', facts: { ...facts, driven: true } })).toEqual([
      'driven',
      'low',
    ]);
    expect(suitsOf({ family: 'other', facts: undefined })).toEqual([]);
  });

  test('are tuned as the source wants it, where they do not say what their tuners are for', () => {
    expect(tunerFor({ family: 'keys', facts: undefined })).toBe('chords');
    expect(tunerFor({ family: 'plucked', facts })).toBe('chords');
    expect(tunerFor({ family: 'plucked', facts: { ...facts, struck: true } })).toBe('struck');
    expect(tunerFor({ family: 'struck', facts: undefined })).toBe('struck');
    for (const family of ['voice', 'bowed', 'low', 'other'] as const)
      expect(tunerFor({ family, facts })).toBe('single');
    const kindsOf = (id: string, source: Source) => {
      const recipe = recipes.find((one) => one.id === id);
      if (!recipe) throw new Error(`There is no recipe ${id}.`);
      const { image } = recipe;
      const made = imageFor(recipe, source);
      // Nothing else of it is another.
      const back = made.voices.map((voice, n) => ({ ...voice, tuner: image.voices[n].tuner }));
      expect({ ...made, voices: back }).toEqual(image);
      return [...new Set(made.voices.filter(isTuned).map(({ tuner }) => tuner.kind))];
    };
    expect(kindsOf('doubles-alone', { family: 'keys', facts })).toEqual(['chords']);
    expect(kindsOf('doubles-alone', { family: 'voice', facts })).toEqual(['single']);
    expect(kindsOf('struck-doubles', { family: 'keys', facts })).toEqual(['struck']);
    expect(kindsOf('chord-doubles', { family: 'struck', facts })).toEqual(['chords']);
  });

  test('come first, and none is left out', () => {
    const all = recipesFor({ family: 'struck', facts });
    expect(all).toHaveLength(recipes.length);
    const firstOther = all.findIndex(({ fits }) => !fits);
    expect(all.slice(firstOther).some(({ fits }) => fits)).toBe(false);
    expect(all[0].recipe.suits).toContain('struck');
    expect(newPart('p', 'P', 'struck', []).family).toBe('struck');
  });
});
