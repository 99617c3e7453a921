import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { rateHz, anySong, recordings } from './any-song.fixture.ts';
import { apply } from './commands.ts';
import { readSong } from './saved-song.ts';
import { maxSongLetters, songLetters } from './size.ts';
import { smallEdits } from './small-edits.ts';
import { emptySong, newPart } from './song.ts';
import { command, done, levelMove } from './steps.fixture.ts';

const begun = done(
  emptySong('s', 'Song'),
  { kind: 'set-rate', rateHz },
  { kind: 'put-recording', recording: recordings[0] },
  ...Array.from({ length: 48 }, (_, n) => ({
    kind: 'add-part',
    index: n,
    part: newPart(`p${n}`, `P${n}`, 'keys', [{ recording: recordings[0].hash, channel: 0 }]),
  })),
);

describe('changes of a list by id', () => {
  test('do what giving the list anew does, for any two songs, and are taken back field for field', () => {
    fc.assert(
      fc.property(anySong, anySong, (song, other) => {
        const ids = new Set(song.partOrder);
        const groups = other.groups
          .map((group) => ({ ...group, partIds: group.partIds.filter((id) => ids.has(id)) }))
          .reverse();
        const whole = [{ kind: 'set-groups', groups } as const];
        const asked = apply(song, command(whole));
        const small = smallEdits(song, whole);
        const answered = apply(song, command(small));
        expect(answered.ok).toBe(asked.ok);
        if (!asked.ok || !answered.ok) return;
        expect(answered.value.song).toEqual(asked.value.song);
        const back = apply(answered.value.song, command(answered.value.inverse));
        expect(back.ok && back.value.song).toEqual(song);
      }),
      { numRuns: 40 },
    );
  });

  test('keep every order, whatever is added, dropped and moved', () => {
    const list = fc.uniqueArray(fc.integer({ min: 0, max: 9 }), { maxLength: 8 });
    fc.assert(
      fc.property(list, list, fc.integer({ min: 1, max: 3 }), (before, after, points) => {
        const song = done(begun, { kind: 'set-moves', moves: before.map((n) => levelMove(n, 2)) });
        const moves = after.map((n) => levelMove(n, n % 2 ? 2 : points));
        const answered = apply(song, command(smallEdits(song, [{ kind: 'set-moves', moves }])));
        if (!answered.ok) throw new Error(answered.error.sentence);
        expect(answered.value.song.moves).toEqual(moves);
        const back = apply(answered.value.song, command(answered.value.inverse));
        expect(back.ok && back.value.song).toEqual(song);
      }),
    );
  });

  test('are as large as what they change: one point in 48 curves of 500 points', () => {
    const moves = Array.from({ length: 48 }, (_, n) => levelMove(n, 500));
    const song = done(begun, { kind: 'set-moves', moves });
    const changed = moves.map((one, n) => (n === 7 ? levelMove(7, 499) : one));
    const small = smallEdits(song, [{ kind: 'set-moves', moves: changed }]);
    expect(JSON.stringify(small).length).toBeLessThan(30_000);
    const answered = apply(song, command(small));
    expect(JSON.stringify(answered.ok && answered.value.inverse).length).toBeLessThan(30_000);
    // What did not change is the same thing, so that it is not compiled or drawn anew.
    expect(answered.ok && answered.value.song.moves[8]).toBe(song.moves[8]);
  });

  test.each<[string, object, RegExp]>([
    ['drops what is not there', { drop: ['m9'] }, /no such thing/],
    ['names an id twice', { put: [levelMove(1, 2), levelMove(1, 3)] }, /each id once/],
    ['puts and drops the same', { put: [levelMove(0, 2)], drop: ['m0'] }, /each id once/],
    ['orders what is not there', { order: ['m0', 'm4'] }, /every id/],
  ])('one that %s is refused', (_, change, sentence) => {
    const song = done(begun, { kind: 'set-moves', moves: [levelMove(0, 2)] });
    const outcome = apply(song, command([{ kind: 'change-moves', ...change }]));
    expect(outcome.ok ? 'taken' : outcome.error.sentence).toMatch(sentence);
  });
});

describe('a song has a size that it does not outgrow', () => {
  const large = (points: number) =>
    Array.from({ length: 45 }, (_, n) => ({ kind: 'change-moves', put: [levelMove(n, points)] }));

  test('up to the limit it is taken, beyond it a sentence says what to remove', () => {
    let song = begun;
    let refused = '';
    for (const edit of large(4000)) {
      const outcome = apply(song, command([edit]));
      if (outcome.ok) song = outcome.value.song;
      else refused = outcome.error.sentence;
    }
    expect(songLetters(song)).toBeLessThanOrEqual(maxSongLetters);
    expect(songLetters(song)).toBeGreaterThan(0.9 * maxSongLetters);
    expect(refused).toMatch(/too large: .* 4\.0 MB is the limit\. Remove/);
    // What is measured is what is saved, to within the song's own punctuation.
    expect(JSON.stringify(song).length / songLetters(song)).toBeCloseTo(1, 2);
    expect(done(song, { kind: 'change-moves', drop: ['m0'] }).moves.length).toBe(
      song.moves.length - 1,
    );
  });

  test('one of an earlier version that is larger opens, and can be made smaller', () => {
    const moves = Array.from({ length: 45 }, (_, n) => levelMove(n, 4000));
    const saved = readSong({ ...begun, moves });
    if (!saved.ok) throw new Error(saved.error.sentence);
    expect(songLetters(saved.value)).toBeGreaterThan(maxSongLetters);
    expect(done(saved.value, { kind: 'set-title', title: 'Still' }).title).toBe('Still');
    done(saved.value, { kind: 'change-moves', drop: ['m3'] });
    expect(
      apply(saved.value, command([{ kind: 'change-moves', put: [levelMove(46, 9)] }])).ok,
    ).toBe(false);
  });
});
