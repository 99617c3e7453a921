import { beforeEach, describe, expect, test } from '@jest/globals';
import { isBrief, madeSource } from '@pannet/core/derived/made-source';
import {
  blockFrames,
  blockLength,
  briefBlockFrames,
  type PcmSource,
} from '@pannet/core/sources/blocks';
import { Feeder } from './feeder.ts';
import type { FeederToWorklet } from './messages.ts';

const source = (name: string): PcmSource => ({ key: `${name}:0`, frames: 40 * blockFrames });
const rate = 48_000;

let posted: FeederToWorklet[];
let loaded: string[];
let failures: string[];
let missing: Set<string>;
let now: number;
let later: { readonly at: number; readonly run: () => void }[];
let feeder: Feeder;

const idle = async () => {
  for (let n = 0; n < 200; n++) await Promise.resolve();
};
/** Lets time pass, and what was put off run. */
async function pass(ms: number): Promise<void> {
  now += ms;
  for (let n = 0; n < 50; n++) {
    const due = later.filter(({ at }) => at <= now);
    later = later.filter(({ at }) => at > now);
    for (const { run } of due) run();
    await idle();
    if (due.length === 0) return;
  }
}
const heard = (frame: number, keys: readonly string[] = []) =>
  feeder.hear({ frame, loop: null, heard: keys, reach: { behind: 1000, ahead: 8000 } });
const blocks = () => posted.flatMap((message) => (message.kind === 'block' ? [message] : []));

beforeEach(() => {
  posted = [];
  loaded = [];
  failures = [];
  missing = new Set();
  now = 0;
  later = [];
  feeder = new Feeder({
    load: (of, index) => {
      loaded.push(`${of.key}/${index}`);
      return missing.has(of.key)
        ? Promise.reject(new Error('A recording of this song is not on the server.'))
        : Promise.resolve(new Float32Array(blockFrames));
    },
    post: null,
    failed: (sentence) => failures.push(sentence),
    now: () => now,
    later: (run, ms) => later.push({ at: now + ms, run }),
  });
});
const connect = () => feeder.connect((message) => posted.push(message));

describe('a feeder', () => {
  test('has nothing to do before there is a worklet; then brings what is played round the playhead', async () => {
    feeder.read(rate, [source('a')], []);
    await idle();
    expect(loaded).toEqual([]);
    connect();
    await idle();
    expect(blocks().map(({ index }) => index)).toEqual([0, 1, 2, 3, 4]);
    heard(20 * blockFrames);
    await idle();
    expect(
      blocks()
        .slice(5)
        .map(({ index }) => index)
        .sort((a, b) => a - b),
    ).toEqual([19, 20, 21, 22, 23, 24]);
    expect(posted.some(({ kind }) => kind === 'keep')).toBe(true);
  });

  test('a new worklet gets all anew', async () => {
    connect();
    feeder.read(rate, [source('a')], []);
    await idle();
    const before = blocks().length;
    connect();
    await idle();
    expect(blocks()).toHaveLength(2 * before);
  });

  test('what is heard lasts until it no longer is, though the song reads it no more', async () => {
    connect();
    feeder.read(rate, [source('a')], []);
    await idle();
    heard(0, ['a:0']);
    feeder.read(rate, [source('b')], ['a:0']);
    await idle();
    const keep = posted.findLast((message) => message.kind === 'keep');
    expect(keep?.kind === 'keep' ? (keep.keep['a:0'] ?? []).includes(0) : true).toBe(true);
    heard(0, ['b:0']);
    await idle();
    const after = posted.findLast((message) => message.kind === 'keep');
    expect(after?.kind === 'keep' && after.keep['a:0']).toBeFalsy();
  });

  describe('of what a vocoder tunes', () => {
    const tuned = (ratio: number, anewAt?: number) =>
      madeSource(
        source('a'),
        { kind: 'vocoded', as: 'pads', ratio, ...(anewAt === undefined ? {} : { anewAt }) },
        rate,
      );
    /** What was put off runs once. */
    const turn = async () => {
      const due = later;
      later = [];
      for (const { run } of due) run();
      await idle();
    };
    /** So many turns all of these blocks take. */
    let turns: number;
    beforeEach(() => {
      turns = 20;
      feeder = new Feeder({
        load: async (of, index) => {
          loaded.push(`${of.key}/${index}`);
          for (let n = 0; n < turns; n++)
            if (isBrief(of)) await new Promise<void>((run) => later.push({ at: 0, run }));
            else await feeder.rest();
          return new Float32Array(blockLength(of));
        },
        post: null,
        failed: (sentence) => failures.push(sentence),
        now: () => now,
        later: (run, ms) => later.push({ at: now + ms, run }),
      });
      connect();
    });

    test('what is made for what is exported gives way to what is to be heard at once, and comes after it', async () => {
      feeder.read(rate, [tuned(1.01)], []);
      for (let n = 0; n < 3; n++) await turn();
      expect(loaded).toEqual([`${tuned(1.01).key}/0`]);
      turns = 1;
      const brief = tuned(1.02, 0);
      feeder.read(rate, [brief], [tuned(1.01).key]);
      for (let n = 0; n < 3; n++) await turn();
      expect(blocks().map(({ key, index }) => `${key}/${index}`)).toContain(`${brief.key}/0`);
      feeder.read(rate, [tuned(1.02)], [brief.key]);
      await pass(1);
      expect(blocks().some(({ key }) => key === tuned(1.02).key)).toBe(true);
      expect(blocks().some(({ key }) => key === tuned(1.01).key)).toBe(false);
      expect(failures).toEqual([]);
    });

    test('what is made for a place that was left gives way to what is made where it plays now', async () => {
      feeder.read(rate, [tuned(1.01)], []);
      for (let n = 0; n < 3; n++) await turn();
      expect(loaded).toEqual([`${tuned(1.01).key}/0`]);
      heard(20 * blockFrames);
      for (let n = 0; n < 2; n++) await turn();
      expect(loaded.slice(1)).toEqual([`${tuned(1.01).key}/19`]);
      await pass(1);
      expect(Math.min(...blocks().map(({ index }) => index))).toBe(19);
      expect(failures).toEqual([]);
    });

    test('of what begins anew nothing is made that lies before, and a second ahead; more as it plays on', async () => {
      turns = 1;
      const brief = tuned(1.01, 100);
      const second = rate / briefBlockFrames;
      heard(101 * briefBlockFrames);
      feeder.read(rate, [brief], []);
      await pass(1);
      const made = () => blocks().map(({ index }) => index);
      expect(Math.min(...made())).toBe(100);
      expect(Math.max(...made())).toBe(Math.floor(101 + second));
      heard(130 * briefBlockFrames);
      for (let n = 0; n < 3; n++) await pass(1);
      expect(Math.max(...made())).toBe(Math.floor(130 + second));
      // After a jump back it is wanted there, too.
      heard(50 * briefBlockFrames);
      await pass(1);
      expect(made()).toContain(50);
      expect(failures).toEqual([]);
    });

    test('of several that begin anew each has its next block before any has the one after it', async () => {
      turns = 1;
      heard(100 * briefBlockFrames);
      const both = [tuned(1.01, 100), tuned(0.99, 100)];
      feeder.read(rate, both, []);
      await pass(1);
      const first = blocks().slice(0, 8);
      expect(first.map(({ index }) => index)).toEqual([100, 100, 101, 101, 102, 102, 103, 103]);
      expect(new Set(first.map(({ key }) => key)).size).toBe(2);
    });

    test('what is to be heard at once does not give way to the next: in a drag without end something is heard', async () => {
      turns = 4;
      const [one, other] = [tuned(1.01, 0), tuned(1.02, 0)];
      feeder.read(rate, [one], []);
      for (let n = 0; n < 2; n++) await turn();
      feeder.read(rate, [other], [one.key]);
      await pass(1);
      const keys = [...new Set(blocks().map(({ key }) => key))];
      expect(keys).toEqual([one.key, other.key]);
    });
  });

  test('a recording that is not there is asked for ever more seldom, not with each look of the worklet', async () => {
    missing.add('a:0');
    connect();
    feeder.read(rate, [source('a'), source('b')], []);
    await idle();
    const first = loaded.filter((name) => name.startsWith('a:0')).length;
    expect(first).toBeLessThanOrEqual(5);
    // A minute of looks, sixty a second.
    for (let n = 0; n < 60; n++) {
      for (let look = 0; look < 60; look++) heard(0);
      await pass(1000);
    }
    const asked = loaded.filter((name) => name === 'a:0/0').length;
    // After 0.5, 1, 2, 4 … 30 s.
    expect(asked).toBeGreaterThan(4);
    expect(asked).toBeLessThan(9);
    expect(failures[0]).toMatch(/not on the server/);
    // The others are not held up by it, and once it is there it comes.
    expect(blocks().some(({ key }) => key === 'b:0')).toBe(true);
    missing.clear();
    await pass(31_000);
    expect(blocks().filter(({ key }) => key === 'a:0').length).toBeGreaterThan(0);
  });
});
