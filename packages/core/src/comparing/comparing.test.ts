import { describe, expect, test } from '@jest/globals';
import { noise, delayed } from '../measurement/signals.fixture.ts';
import { measureStereo } from '../measurement/report.ts';
import { seededRandom } from '../signal/random.ts';
import { crowdingOf, farShare, plainReaches, reachesOf, sharedShare } from './among-parts.ts';
import { BlindComparison, blindSentence, chanceOf, shownUnder } from './blind.ts';
import { matchLevels } from './matching.ts';
import type { Level } from '../findings/part-figures.ts';

const level = (lufs: number, truePeakDbtp: number, foldLufs = lufs - 3): Level => ({
  lufs,
  foldLufs,
  truePeakDbtp,
});

describe('equal loudness', () => {
  test('all are as loud as the goal; nothing is held back where there is room', () => {
    const states = { plain: level(-23, -9, -23), image: level(-20, -6), '1': level(-21.5, -8) };
    const { gainsDb, heldBackDb } = matchLevels(states, states.image, 'heard');
    expect(heldBackDb).toBe(0);
    expect(gainsDb).toEqual({ plain: 3, image: 0, '1': 1.5 });
  });

  test('the middle can be held instead: equal loudness of the fold', () => {
    const states = { plain: level(-23, -9, -23), image: level(-20, -6, -23.5) };
    const { gainsDb } = matchLevels(states, states.image, 'middle');
    expect(gainsDb.plain).toBeCloseTo(-0.5, 9);
    expect(gainsDb.image).toBe(0);
  });

  test('no true peak is raised over −1 dBTP: all are held back together and stay equal', () => {
    const states = { plain: level(-26, -3, -26), image: level(-18, -4) };
    const { gainsDb, heldBackDb } = matchLevels(states, states.image, 'heard');
    // Plain would have to come up by 8 dB and has room for 2.
    expect(heldBackDb).toBe(6);
    expect(gainsDb).toEqual({ plain: 2, image: -6 });
    expect(-26 + gainsDb.plain).toBe(-18 + gainsDb.image);
    expect(-3 + gainsDb.plain).toBeLessThanOrEqual(-1);
    // One that is over already is not raised, and not lowered for that.
    const hot = { plain: level(-20, 0.5, -20), image: level(-20, -2) };
    expect(matchLevels(hot, hot.image, 'heard')).toEqual({
      gainsDb: { plain: 0, image: 0 },
      heldBackDb: 0,
    });
  });

  test('silence is left alone', () => {
    const silent: Level = { lufs: null, foldLufs: null, truePeakDbtp: null };
    expect(matchLevels({ plain: silent, image: level(-20, -6) }, silent, 'heard').gainsDb).toEqual({
      plain: 0,
      image: 0,
    });
  });
});

describe('comparing blind', () => {
  test('chance by the binomial distribution, as handbooks list the sign test', () => {
    // 2·(10 + 1)/1024; 2·(1820 + 560 + 120 + 16 + 1)/65536; all alike: 2/2ⁿ.
    expect(chanceOf(10, 9)).toBeCloseTo(22 / 1024, 12);
    expect(chanceOf(16, 12)).toBeCloseTo(5034 / 65_536, 12);
    expect(chanceOf(16, 4)).toBeCloseTo(5034 / 65_536, 12);
    expect(chanceOf(6, 6)).toBeCloseTo(2 / 64, 12);
    expect(chanceOf(8, 4)).toBe(1);
    expect(chanceOf(0, 0)).toBe(1);
    expect(chanceOf(1000, 560)).toBeCloseTo(0.00017, 4);
  });

  test('two identical drafts: a difference is “shown” as often as chance gives, and no oftener', () => {
    const comparisons = 2000;
    const rounds = 16;
    const listener = seededRandom(99);
    let shown = 0;
    let firsts = 0;
    for (let n = 0; n < comparisons; n++) {
      const blind = new BlindComparison('1', '2', n);
      // They sound the same: whoever hears A and B can only guess.
      for (let r = 0; r < rounds; r++) blind.choose(listener() < 0.5 ? 'a' : 'b');
      firsts += blind.firstChosen;
      if (chanceOf(blind.rounds, blind.firstChosen) < shownUnder) shown++;
    }
    // 4 or fewer, 12 or more of 16 is 7.7 %; 3 or fewer, 13 or more is 2.1 %: that is the rate under 0.05.
    const expected = (2 * (560 + 120 + 16 + 1)) / 65_536;
    expect(Math.abs(shown / comparisons - expected)).toBeLessThan(0.01);
    expect(Math.abs(firsts / (comparisons * rounds) - 0.5)).toBeLessThan(0.01);
  });

  test('the order is shuffled; one who always prefers the same one is found out, one who presses A is not', () => {
    const blind = new BlindComparison('1', 'plain', 7);
    const orders = new Set<string>();
    for (let n = 0; n < 20; n++) {
      orders.add(blind.round.a);
      blind.choose(blind.round.a === 'plain' ? 'a' : 'b');
    }
    expect(orders.size).toBe(2);
    expect([blind.rounds, blind.firstChosen]).toEqual([20, 0]);
    expect(blindSentence('Draft 1', 'Plain', 20, 0)).toBe(
      'Plain was chosen in 20 of 20 rounds. Tossing a coin comes out as lopsided in fewer than 1 of 100 such comparisons: you hear a difference, and prefer Plain.',
    );
    const lazy = new BlindComparison('1', '2', 8);
    for (let n = 0; n < 40; n++) lazy.choose('a');
    expect(chanceOf(40, lazy.firstChosen)).toBeGreaterThan(shownUnder);
  });

  test.each([
    [0, 0, 'Nothing was chosen yet.'],
    [3, 3, 'nothing can be shown'],
    [12, 7, 'no preference is shown'],
    [8, 4, 'Both were chosen 4 times in 8 rounds.'],
  ])('%i rounds, %i times the first', (rounds, first, words) => {
    expect(blindSentence('Draft 1', 'Draft 2', rounds, first)).toContain(words);
  });
});

describe('among the parts', () => {
  const rate = 16_000;
  const part = (
    id: string,
    left: Float32Array,
    right: Float32Array,
    leadMs: number | null = null,
  ) => {
    const reaches = reachesOf(measureStereo(left, right, rate).report.bandSides);
    return { id, name: id.toUpperCase(), reaches, leadMs };
  };
  const silent = new Float32Array(2 * rate);
  const [a, b, c] = [1, 2, 3].map((seed) => noise(2, rate, seed));

  test('outlines: mono is a line in the middle, unrelated sides reach from L to R, one side lies there', () => {
    for (const { from, to } of part('m', a, a).reaches) {
      expect(Math.abs(from)).toBeLessThan(0.02);
      expect(Math.abs(to)).toBeLessThan(0.02);
    }
    const wide = part('w', a, b).reaches.filter(({ hz }) => hz > 500);
    for (const { from, to } of wide) {
      expect(from).toBeLessThan(-0.5);
      expect(to).toBeGreaterThan(0.5);
    }
    for (const { from, to } of part('l', a, silent).reaches) {
      expect(from).toBe(-1);
      expect(to).toBeLessThan(0);
    }
  });

  test('who shares place and band: two in the middle do, L and R do not, plain ones do', () => {
    const left = part('l', a, silent);
    const right = part('r', silent, b);
    expect(sharedShare(part('m', a, a), part('n', b, b)).share).toBeGreaterThan(0.9);
    expect(sharedShare(left, right).share).toBeLessThan(0.05);
    const plain = [left, right].map((each) => ({ ...each, reaches: plainReaches(each.reaches) }));
    expect(sharedShare(plain[0], plain[1]).share).toBeGreaterThan(0.8);
    expect(crowdingOf([left, right])).toEqual([]);
    const [found] = crowdingOf(plain);
    expect(found).toMatchObject({ code: 'shared', partIds: ['l', 'r'] });
    expect(found.sentence).toMatch(/^L and R share place and band: \d+ % of the softer one/);
  });

  test('three parts far out on one side crowd it', () => {
    const parts = [a, b, c].map((take, n) => part(`p${n}`, take, silent));
    expect(farShare(parts[0], 'L')).toBeGreaterThan(0.9);
    expect(farShare(parts[0], 'R')).toBe(0);
    const crowd = crowdingOf(parts).find(({ code }) => code === 'far-side');
    expect(crowd?.sentence).toBe('The far left is crowded: P0, P1 and P2 reach there.');
    expect(crowdingOf(parts.slice(0, 2)).some(({ code }) => code === 'far-side')).toBe(false);
  });

  test('neighbours that lead the same way, and those that do not', () => {
    const leading = (id: string, ms: number) => part(id, a, delayed(a, 100), ms);
    const same = crowdingOf([leading('a', 12), leading('b', 18), leading('c', -9)]);
    expect(same.filter(({ code }) => code === 'same-lead').map(({ sentence }) => sentence)).toEqual(
      ['A and B both lead to the left, by 12.0 and 18.0 ms: turn one of them round.'],
    );
    expect(
      crowdingOf([leading('a', 12), leading('b', 0.4)]).some(({ code }) => code === 'same-lead'),
    ).toBe(false);
  });
});
