import { describe, expect, test } from '@jest/globals';
import { takeRecipes, tooFewText } from '../image/take-recipes.ts';
import { noise } from '../measurement/signals.fixture.ts';
import { memorySong } from '../rendering/memory.fixture.ts';
import { mostTakes } from '../takes/take.ts';
import { apply, type Command } from './commands.ts';
import type { Edit } from './edits/edit.ts';
import { checkPart, type Part, type Song } from './song.ts';
import { takesEdit, withMoreTakes } from './takes-of-part.ts';

const rate = 48_000;
const { song } = memorySong(
  [0, 1, 2, 3].map((n) => noise(0.1, rate, n)),
  rate,
);
const hashes = song.partOrder.map((id) => song.parts[id].takes[0].recording);
const command = (edits: readonly Edit[]): Command => ({ id: 'c', name: 'test', role: 'do', edits });
const done = (on: Song, edit: Edit) => {
  const applied = apply(on, command([edit]));
  if (!applied.ok) throw new Error(applied.error.sentence);
  return applied.value;
};
const more = hashes.slice(1).map((recording) => ({ recording, channel: 0 }));

describe('takes of a part', () => {
  const part = song.parts.p0;
  const four = done(song, takesEdit(part, withMoreTakes(part, more)));
  const filled = four.song.parts.p0;

  test('are added behind the others, named and told apart', () => {
    expect(filled.takes.map(({ id }) => id)).toEqual(['t1', 't2', 't3', 't4']);
    expect(filled.takes.map(({ recording }) => recording)).toEqual(hashes);
    const full = withMoreTakes(
      filled,
      Array.from({ length: 30 }, () => more[0]),
    );
    expect(full).toHaveLength(mostTakes);
    expect(new Set(full.map(({ id }) => id)).size).toBe(mostTakes);
  });

  test.each(takeRecipes)('$name places any number of them', ({ image, wants, ...recipe }) => {
    for (let takes = 1; takes <= mostTakes; takes++) {
      const many: Part = {
        ...filled,
        takes: withMoreTakes(
          { ...filled, takes: filled.takes.slice(0, 1) },
          Array.from({ length: takes - 1 }, () => more[0]),
        ),
        image: image(takes),
      };
      expect(checkPart(four.song, many).ok).toBe(true);
      expect(new Set(many.image.voices.map(({ name }) => name)).size).toBe(takes);
      expect(many.image.voices.map(({ take }) => take)).toEqual(many.takes.map((_, n) => n + 1));
      const enough = tooFewText({ ...recipe, image, wants }, takes) === null;
      expect(enough).toBe(takes >= wants);
    }
  });

  test('that are moved or removed take their voices with them, in drafts too; undone, all is as it was', () => {
    const placed: Part = {
      ...filled,
      image: takeRecipes[0].image(4),
      drafts: { 1: takeRecipes[0].image(4) },
    };
    const before: Song = { ...four.song, parts: { ...four.song.parts, p0: placed } };
    const [one, two, three, last] = placed.takes;
    const moved = done(before, takesEdit(placed, [last, one, two, three]));
    expect(moved.song.parts.p0.image.voices.map(({ take }) => take)).toEqual([2, 3, 4, 1]);
    expect(moved.song.parts.p0.drafts[1].voices.map(({ take }) => take)).toEqual([2, 3, 4, 1]);
    const aligned = placed.takes.map((take) =>
      take === two
        ? {
            ...take,
            align: {
              to: 't3',
              tightnessPercent: 70,
              polarity: 'normal',
              path: null,
              anchors: [],
            } as const,
          }
        : take,
    );
    const removed = done(
      before,
      takesEdit(
        placed,
        aligned.filter(({ id }) => id !== 't3'),
      ),
    );
    // What was lined up with it stays as it is heard.
    expect(removed.song.parts.p0.takes[1].align).toEqual({ ...aligned[1].align, to: 't1' });
    expect(removed.song.parts.p0.image.voices.map(({ take }) => take)).toEqual([1, 2, 3, 3]);
    const undone = apply(removed.song, command(removed.inverse));
    expect(undone.ok && undone.value.song.parts.p0).toEqual(placed);
  });
});
