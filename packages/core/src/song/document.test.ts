import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { anyOf } from '../parameters/any.fixture.ts';
import { preparationDescription } from '../takes/preparation.ts';
import { compile } from '../rendering/compile.ts';
import { anySong, rateHz, recordings } from './any-song.fixture.ts';
import { apply, mergeCommands } from './commands.ts';
import type { Edit } from './edits/edit.ts';
import { editModules } from './edits/modules.ts';
import { readSong } from './saved-song.ts';
import { emptySong, newPart, type Song } from './song.ts';
import { command, done } from './steps.fixture.ts';

const begun = done(
  emptySong('s', 'Song'),
  { kind: 'set-rate', rateHz },
  ...recordings.map((recording) => ({ kind: 'put-recording', recording })),
  {
    kind: 'add-part',
    index: 0,
    part: newPart('a', 'A', 'keys', [
      { recording: recordings[0].hash, channel: 0 },
      { recording: recordings[1].hash, channel: 0 },
    ]),
  },
);
const part = begun.parts.a;

/** The song as the server keeps it. */
const kept = (song: Song) => readSong(JSON.parse(JSON.stringify(song)));

describe('whatever passes can be opened', () => {
  test('any song that passes reads back as it is, and can be compiled', () => {
    fc.assert(
      fc.property(anySong, (song) => {
        expect(kept(song)).toEqual({ ok: true, value: song });
        expect(compile(song, new Map()).frames).toBeGreaterThan(0);
      }),
      { numRuns: 60 },
    );
  });

  test('after any edit that is taken, of any shape, the song reads back', () => {
    const kinds = Object.values(editModules).map(({ description }) => anyOf(description));
    fc.assert(
      fc.property(fc.array(fc.oneof(...kinds, fc.object()), { maxLength: 6 }), (edits) => {
        let song = begun;
        for (const edit of edits) {
          const outcome = apply(song, command([edit]));
          if (outcome.ok) song = outcome.value.song;
          else expect(outcome.error.sentence).not.toBe('');
        }
        expect(kept(song)).toEqual({ ok: true, value: song });
      }),
      { numRuns: 80 },
    );
  });

  test('also where the rate is chosen last: whatever is taken at one rate opens at that rate', () => {
    const [recording] = recordings;
    const kinds = ['set-image', 'set-voice', 'set-stage', 'set-rooms', 'set-takes'] as const;
    const edits = kinds.map((kind) => anyOf(editModules[kind].description));
    fc.assert(
      fc.property(
        fc.array(fc.oneof(...edits), { maxLength: 5 }),
        fc.constantFrom(8000, 44_100, 96_000, 192_000),
        (edits, rateHz) => {
          // No rate yet: what needs one is checked against the usual one.
          let song = done(emptySong('s', 'Song'), {
            kind: 'put-recording',
            recording: { ...recording, rateHz },
          });
          song = done(song, {
            kind: 'add-part',
            index: 0,
            part: newPart('a', 'A', 'keys', [{ recording: recording.hash, channel: 0 }]),
          });
          for (const edit of [...edits, { kind: 'set-rate', rateHz }]) {
            const aimed = 'partId' in edit ? { ...edit, partId: 'a' } : edit;
            const outcome = apply(song, command([aimed]));
            if (outcome.ok) song = outcome.value.song;
          }
          expect(kept(song)).toEqual({ ok: true, value: song });
        },
      ),
      { numRuns: 100 },
    );
  });

  test('a delay in samples that only the usual rate allows keeps the rate from being another', () => {
    const [recording] = recordings;
    const song = done(
      emptySong('s', 'Song'),
      { kind: 'put-recording', recording: { ...recording, rateHz: 8000 } },
      {
        kind: 'add-part',
        index: 0,
        part: newPart('a', 'A', 'keys', [{ recording: recording.hash, channel: 0 }]),
      },
      {
        kind: 'set-voice',
        partId: 'a',
        voiceId: 'v1',
        changes: { delay: { value: 2000, unit: 'samples' } },
      },
    );
    const outcome = apply(song, command([{ kind: 'set-rate', rateHz: 8000 }]));
    expect(outcome.ok ? 'taken' : outcome.error.sentence).toMatch(/delay/i);
  });

  test('what lies a day after the beginning, or beyond any file, is refused; the furthest is compiled', () => {
    const clip = (fromFrame: number, toFrame: number, atFrame = 0) => ({
      kind: 'set-take',
      partId: 'a',
      takeId: 't1',
      changes: { clips: [{ fromFrame, toFrame, atFrame }] },
    });
    for (const edit of [clip(0, 2 ** 44), clip(2 ** 44, 2 ** 44 + 9)])
      expect(apply(begun, command([edit])).ok).toBe(false);
    const long = { ...recordings[2], hash: 'd'.repeat(64), frames: 2 ** 32 };
    const late = [{ ...part.takes[0], id: 'late', recording: long.hash }];
    const withLong = done(begun, { kind: 'put-recording', recording: long });
    const takes = apply(
      withLong,
      command([{ kind: 'set-takes', partId: 'a', changes: { takes: late } }]),
    );
    expect(takes.ok ? 'taken' : takes.error.sentence).toMatch(/more than 24 hours after/);
    const drift = { rangeMs: 3 };
    const far = done(begun, clip(0, 9000, 2 ** 31), {
      kind: 'set-voice',
      partId: 'a',
      voiceId: 'v1',
      changes: { drift: { ...begun.parts.a.image.voices[0].drift, ...drift } },
    });
    expect(compile(far, new Map()).frames).toBeGreaterThan(2 ** 31);
  });

  test('what is left out of a part has its default: a preparation without compressor', () => {
    const { compressor: _, ...preparation } = part.preparation;
    const song = done(begun, { kind: 'set-preparation', partId: 'a', preparation });
    expect(song.parts.a.preparation).toEqual(preparationDescription.parse({}));
    expect(kept(song).ok).toBe(true);
  });

  test.each<[string, unknown, RegExp]>([
    [
      'an id that is an object',
      { kind: 'add-part', index: 1, part: { ...part, id: {} } },
      /id of a part/,
    ],
    [
      'an id with a slash',
      { kind: 'add-part', index: 1, part: { ...part, id: '../b' } },
      /“\.\.\/b”/,
    ],
    [
      'an unknown key',
      { kind: 'add-part', index: 1, part: { ...part, id: 'b', reverb: 1 } },
      /“part\.reverb” is not known/,
    ],
    [
      'an unknown key of the edit',
      { kind: 'remove-part', partId: 'a', now: true },
      /“now” is not known/,
    ],
    [
      'a toggle key that is a list',
      { kind: 'set-part', partId: 'a', changes: { toggleKey: ['q'] } },
      /one letter/,
    ],
    [
      'frames below 0',
      { kind: 'put-recording', recording: { ...recordings[0], hash: 'f'.repeat(64), frames: -5 } },
      /frames/,
    ],
    [
      'two takes of one id',
      {
        kind: 'add-part',
        index: 1,
        part: { ...part, id: 'b', takes: [part.takes[0], part.takes[0]] },
      },
      /Two takes/,
    ],
    [
      'a take in time with itself',
      { kind: 'set-take', partId: 'a', takeId: 't1', changes: { align: { to: 't1' } } },
      /another take/,
    ],
    [
      'a sample of no known size',
      {
        kind: 'put-recording',
        recording: { ...recordings[0], hash: 'e'.repeat(64), bitsPerSample: undefined },
      },
      /^A sample has 16, 24, 32 or 64 bits\.$/,
    ],
    ['a name that is a NUL', { kind: 'set-title', title: '\0' }, /1 to 120 characters/],
  ])('%s is refused with a sentence', (_, edit, sentence) => {
    const outcome = apply(begun, command([edit]));
    expect(outcome.ok ? 'taken' : outcome.error.sentence).toMatch(sentence);
  });

  test.each<[string, (song: Record<string, unknown>) => unknown]>([
    ['a key of another program', (song) => ({ ...song, mixer: {} })],
    ['a part that stands under another id', (song) => ({ ...song, parts: { b: part } })],
    ['an order that names nothing', (song) => ({ ...song, partOrder: ['a', 'z'] })],
    [
      'a group of a part that is not there',
      (song) => ({ ...song, groups: [{ id: 'g', name: 'G', partIds: ['z'] }] }),
    ],
    ['no parts at all, in format 1', () => ({ formatVersion: 1 })],
    ['parts that are null, in format 2', () => ({ formatVersion: 2, parts: { a: null } })],
    ['nothing', () => null],
  ])('a saved song with %s is refused, never half read', (_, spoil) => {
    const outcome = readSong(spoil(begun as unknown as Record<string, unknown>));
    expect(outcome.ok ? 'read' : outcome.error.sentence).not.toBe('read');
  });

  test('keys that are new take their defaults: a song of before takes had names', () => {
    const { groups: _, rooms: __, moves: ___, tempo: ____, ...before } = begun;
    const takes = part.takes.map(({ recording, channel }) => ({ recording, channel }));
    const outcome = readSong({ ...before, parts: { a: { ...part, takes } } });
    expect(outcome).toEqual({ ok: true, value: begun });
  });
});

describe('steps of one gesture', () => {
  const step = (from: number, to: number, more: object = {}) =>
    command(
      [{ kind: 'set-voice', partId: 'a', voiceId: 'v1', changes: { levelDb: to, ...more } }],
      `centre: level ${from} → ${to} dB`,
    );

  test('are one, with the name of both ends', () => {
    const merged = mergeCommands(step(0, -1), step(-1, -2, { muted: true }));
    expect(merged?.name).toBe('centre: level 0 → -2 dB');
    expect(merged?.edits).toEqual([
      { kind: 'set-voice', partId: 'a', voiceId: 'v1', changes: { levelDb: -2, muted: true } },
    ]);
  });

  test('two that are merged do what both do', () => {
    const edits: fc.Arbitrary<Edit> = fc.oneof(
      ...Object.values(editModules).map(({ description }) => anyOf(description)),
    );
    fc.assert(
      fc.property(edits, edits, (first, second) => {
        const merged = mergeCommands(command([first]), command([second]));
        const one = apply(begun, command([first]));
        const both = one.ok ? apply(one.value.song, command([second])) : one;
        if (!merged || !both.ok) return;
        const at = apply(begun, merged);
        expect(at.ok && at.value.song).toEqual(both.value.song);
      }),
      { numRuns: 300 },
    );
  });

  test('steps on other voices are not', () => {
    const other = command([{ kind: 'set-voice', partId: 'a', voiceId: 'v2', changes: {} }]);
    expect(mergeCommands(step(0, 1), other)).toBeNull();
    expect(mergeCommands(step(0, 1), { ...step(1, 2), role: 'undo' })).toBeNull();
  });
});
