import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { neutralStage } from '../image/stage.ts';
import { curveDescription, type Curve } from '../moves/curve.ts';
import { memorySong } from '../rendering/memory.fixture.ts';
import { newVoice } from '../voices/voice.ts';
import { anySong } from './any-song.fixture.ts';
import { apply } from './commands.ts';
import { draftEdits, isDraft, keptDraft, movesOfImage, withDraft } from './draft-moves.ts';
import type { Edit } from './edits/edit.ts';
import { partTarget, voiceTarget, type MoveTarget } from './moves-of.ts';
import type { Song } from './song.ts';

const swing: Curve = curveDescription.parse({ kind: 'cycle', depthPercent: 60 });
const down: Curve = curveDescription.parse({ kind: 'points', points: [{ atS: 1, by: -6 }] });
let made = 0;
const newId = () => `new-${made++}`;

function done(song: Song, ...edits: readonly Edit[]) {
  const outcome = apply(song, { id: 'c', name: 'c', role: 'do', edits });
  if (!outcome.ok) throw new Error(outcome.error.sentence);
  return outcome.value;
}
const after = (song: Song, ...edits: readonly Edit[]) => done(song, ...edits).song;
const moving = (...moves: readonly (readonly [MoveTarget, Curve])[]): Edit => ({
  kind: 'set-moves',
  moves: moves.map(([target, curve], n) => ({ id: `m${n}`, target, curve })),
});

const still = memorySong([new Float32Array(4800), new Float32Array(4800)], 48_000, {
  voices: [newVoice('v1', 'left', { placement: { kind: 'pan', panPercent: -100 } })],
  stage: neutralStage,
}).song;
const level = [partTarget('p0', 'levelDb'), down] as const;
const place = [voiceTarget('p0', 'v1', 'panPercent'), swing] as const;
const width = [partTarget('p0', 'widthPercent'), swing] as const;
const other = [partTarget('p1', 'widthPercent'), swing] as const;

describe('a draft', () => {
  test('holds how its image moves; the level of the part, and other parts, go on as they do', () => {
    const moved = after(still, moving(level, place, width, other));
    const kept = after(moved, keptDraft(moved, moved.parts.p0, '1'));
    expect(kept.parts.p0.draftMoves['1'].map(({ of, parameter }) => [of, parameter])).toEqual([
      [null, 'widthPercent'],
      ['v1', 'panPercent'],
    ]);
    expect(isDraft(kept, kept.parts.p0, '1')).toBe(true);
    const changed = after(kept, moving(level, other, [width[0], down]));
    expect(isDraft(changed, changed.parts.p0, '1')).toBe(false);
    const back = after(changed, ...draftEdits(changed, changed.parts.p0, '1', newId));
    expect(isDraft(back, back.parts.p0, '1')).toBe(true);
    expect(back.moves.map(({ target }) => target)).toEqual(
      expect.arrayContaining([level, place, width, other].map(([target]) => target)),
    );
    expect(back.moves).toHaveLength(4);
    // What stayed is the same thing still.
    expect(back.moves.find(({ target }) => target.id === 'p1')).toBe(
      changed.moves.find(({ target }) => target.id === 'p1'),
    );
  });

  test('that was kept standing still stands still again; one that was kept without any leaves the moves', () => {
    const kept = after(still, keptDraft(still, still.parts.p0, '1'), {
      kind: 'set-draft',
      partId: 'p0',
      number: '2',
      image: still.parts.p0.image,
    });
    const moved = after(kept, moving(level, place));
    expect(isDraft(moved, moved.parts.p0, '1')).toBe(false);
    expect(isDraft(moved, moved.parts.p0, '2')).toBe(true);
    const one = after(moved, ...draftEdits(moved, moved.parts.p0, '1', newId));
    expect(one.moves.map(({ target }) => target.parameter)).toEqual(['levelDb']);
    const two = after(moved, ...draftEdits(moved, moved.parts.p0, '2', newId));
    expect(two.moves).toEqual(moved.moves);
  });

  test('is measured as it moves', () => {
    const moved = after(still, moving(place));
    const kept = after(moved, keptDraft(moved, moved.parts.p0, '1'), moving());
    expect(withDraft(kept, kept.parts.p0, '1').moves).toMatchObject([{ target: place[0] }]);
    expect(kept.moves).toEqual([]);
  });

  test('is undone with its moves', () => {
    const moved = after(still, moving(place));
    const { song, inverse } = done(moved, keptDraft(moved, moved.parts.p0, '1'));
    const again = done(song, { kind: 'set-draft', partId: 'p0', number: '1', image: null });
    expect(again.song.parts.p0.draftMoves).toEqual({});
    expect(after(again.song, ...again.inverse).parts.p0).toEqual(song.parts.p0);
    expect(after(song, ...inverse).parts.p0).toEqual(moved.parts.p0);
  });

  test.each<[string, object, RegExp]>([
    ['the level of the part', { parameter: 'levelDb', curve: down }, /no part of its image/],
    ['a width of a voice', { of: 'v1', parameter: 'widthPercent', curve: down }, /may move: /],
    [
      'a place too far',
      {
        of: 'v1',
        parameter: 'panPercent',
        curve: { kind: 'points', points: [{ atS: 0, by: -300, shape: 'step' }] },
      },
      /between −200 and 200 %/,
    ],
  ])('may not hold %s', (_, move, sentence) => {
    const outcome = apply(still, {
      id: 'c',
      name: 'c',
      role: 'do',
      edits: [
        {
          kind: 'set-draft',
          partId: 'p0',
          number: '1',
          image: still.parts.p0.image,
          moves: [{ of: null, ...move } as never],
        },
      ],
    });
    expect(outcome.ok ? '' : outcome.error.sentence).toMatch(sentence);
  });

  test('of any song, kept and taken up again, is what it was', () => {
    fc.assert(
      fc.property(anySong, (song) => {
        const [part] = Object.values(song.parts);
        const kept = after(song, keptDraft(song, part, '5'));
        const emptied = after(kept, { kind: 'set-moves', moves: [] });
        const back = after(emptied, ...draftEdits(emptied, emptied.parts[part.id], '5', newId));
        expect(movesOfImage(back, part.id)).toEqual(movesOfImage(song, part.id));
        expect(isDraft(back, back.parts[part.id], '5')).toBe(true);
      }),
      { numRuns: 40 },
    );
  });
});
