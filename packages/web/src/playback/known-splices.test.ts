import { expect, test } from '@jest/globals';
import type { SplicePlan } from '@pannet/core/voices/splices';
import { SpliceCache } from './known-splices.ts';

/** A plan of so many splices, 24 bytes each. */
const planOf = (count: number, coarseTo?: number) =>
  ({
    starts: new Float64Array(count),
    ...(coarseTo === undefined ? {} : { coarseTo }),
  }) as SplicePlan;

test('what is in use is never forgotten, however much it is; of the rest those asked for last are kept', () => {
  const cache = new SpliceCache(24 * 100);
  for (const key of ['a', 'b', 'c', 'd', 'e']) cache.set(key, planOf(50));
  expect(cache.trim(new Set(['a', 'b', 'c', 'd', 'e']))).toEqual([]);
  cache.get('a');
  expect(cache.trim(new Set(['c'])).sort()).toEqual(['b', 'd']);
  for (const key of ['a', 'c', 'e']) expect(cache.get(key)).toBeDefined();
  for (const key of ['b', 'd']) expect(cache.get(key)).toBeUndefined();
});

test('only plans of whole takes are handed on', () => {
  const cache = new SpliceCache();
  cache.set('a', planOf(1));
  cache.set('b', planOf(1, 200));
  expect(cache.whole(['a', 'b', 'none']).map(([key]) => key)).toEqual(['a']);
});
