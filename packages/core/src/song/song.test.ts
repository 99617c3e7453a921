import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { anyImage } from '../image/any-image.fixture.ts';
import { neutralImage } from '../image/image.ts';
import { recipes } from '../image/recipes.ts';
import { memoryRecording } from '../rendering/memory.fixture.ts';
import { apply, type Command, type LoggedCommand } from './commands.ts';
import type { Edit } from './edits/edit.ts';
import { record, redoCommand, replay, undoCommand, emptyHistory } from './history.ts';
import { migrate, readSong } from './saved-song.ts';
import { newVoice } from '../voices/voice.ts';
import { emptySong, newPart, songFrames, type Song } from './song.ts';

function command(edits: readonly Edit[], name = 'step'): Command {
  return { id: `${name}-${Math.floor(1e9 * 0.5)}`, name, role: 'do', edits };
}

function applied(song: Song, edits: readonly Edit[]): Song {
  const outcome = apply(song, command(edits));
  if (!outcome.ok) throw new Error(outcome.error.sentence);
  return outcome.value.song;
}

const recordings = [0, 1, 2].map((n) => memoryRecording(n, 48_000 * (n + 1), 48_000));

const begun = applied(emptySong('s', 'Song'), [
  { kind: 'set-rate', rateHz: 48_000 },
  ...recordings.map((recording): Edit => ({ kind: 'put-recording', recording })),
  ...['a', 'b'].map((id, index): Edit => ({
    kind: 'add-part',
    index,
    part: newPart(id, id, 'keys', [{ recording: recordings[index].hash, channel: 0 }], {
      image: recipes[index].image,
    }),
  })),
]);

/** Edits that may or may not be possible, with values that may or may not be allowed. */
const anyEdit: fc.Arbitrary<Edit> = fc.oneof(
  fc.record({ kind: fc.constant('set-title' as const), title: fc.string({ maxLength: 20 }) }),
  fc.record({
    kind: fc.constant('set-pan-law' as const),
    panLaw: fc.constantFrom('-3' as const, '-6' as const),
  }),
  fc.record({
    kind: fc.constant('remove-part' as const),
    partId: fc.constantFrom('a', 'b', 'none'),
  }),
  fc.record({
    kind: fc.constant('drop-recording' as const),
    hash: fc.constantFrom(...recordings.map(({ hash }) => hash)),
  }),
  fc.record({
    kind: fc.constant('add-comparison' as const),
    index: fc.integer({ min: -1, max: 2 }),
    comparison: fc.record({
      id: fc.constantFrom('c1', 'c2'),
      at: fc.constantFrom('2026-11-25T10:00:00Z', 'noon'),
      partId: fc.constantFrom('a', 'none'),
      first: fc.constantFrom('plain', '1', 'other'),
      second: fc.constantFrom('image', '1'),
      rounds: fc.integer({ min: 0, max: 20 }),
      firstChosen: fc.integer({ min: 0, max: 20 }),
    }),
  }),
  fc.record({
    kind: fc.constant('remove-comparison' as const),
    id: fc.constantFrom('c1', 'c2'),
  }),
  fc.record({
    kind: fc.constant('set-bed' as const),
    bed: fc.constantFrom(null, { recording: recordings[2].hash, levelDb: -6 }),
  }),
  fc.record({
    kind: fc.constant('set-part' as const),
    partId: fc.constantFrom('a', 'b'),
    changes: fc.record(
      {
        levelDb: fc.double({ min: -80, max: 20, noNaN: true }),
        muted: fc.boolean(),
        plainVoice: fc.constantFrom(null, 'v1', ''),
        toggleKey: fc.constantFrom(null, 'q', 'Q', '12'),
      },
      { requiredKeys: [] },
    ),
  }),
  fc.record({
    kind: fc.constant('set-voice' as const),
    partId: fc.constantFrom('a', 'b'),
    voiceId: fc.constantFrom('v1', 'v2', 'v3'),
    changes: fc.record(
      {
        levelDb: fc.double({ min: -70, max: 20, noNaN: true }),
        delay: fc.record({
          value: fc.double({ min: -60, max: 160, noNaN: true }),
          unit: fc.constantFrom('ms' as const, 'samples' as const),
        }),
      },
      { requiredKeys: [] },
    ),
  }),
  fc.record({
    kind: fc.constant('set-image' as const),
    partId: fc.constantFrom('a', 'b'),
    image: fc.oneof(
      anyImage,
      fc.constantFrom(neutralImage(), ...recipes.map(({ image }) => image)),
    ),
  }),
  fc.record({
    kind: fc.constant('set-stage' as const),
    partId: fc.constantFrom('a', 'b'),
    changes: fc.record({ widthPercent: fc.double({ min: -10, max: 210, noNaN: true }) }),
  }),
);

describe('laws of commands', () => {
  test('the inverse restores an equal song, the input is never changed, failures carry a sentence', () => {
    fc.assert(
      fc.property(
        fc.array(fc.array(anyEdit, { minLength: 1, maxLength: 4 }), { maxLength: 12 }),
        (steps) => {
          let song = begun;
          for (const edits of steps) {
            const frozen = JSON.stringify(song);
            const outcome = apply(song, command(edits));
            expect(JSON.stringify(song)).toBe(frozen);
            if (!outcome.ok) {
              expect(outcome.error.sentence).toMatch(/\.$/);
              continue;
            }
            const back = apply(outcome.value.song, command(outcome.value.inverse));
            if (!back.ok) throw new Error(back.error.sentence);
            expect(back.value.song).toEqual(song);
            song = outcome.value.song;
          }
        },
      ),
    );
  });

  test('no number is kept as −0, which JSON does not know', () => {
    const changes = { delay: { value: -0, unit: 'ms' as const } };
    const outcome = apply(
      begun,
      command([{ kind: 'set-voice', partId: 'a', voiceId: 'v1', changes }]),
    );
    const value = outcome.ok && outcome.value.song.parts.a.image.voices[0].delay.value;
    expect(Object.is(value, 0)).toBe(true);
  });

  test('a saved song reads back equal', () => {
    fc.assert(
      fc.property(fc.array(anyEdit, { minLength: 1, maxLength: 8 }), (edits) => {
        const outcome = apply(begun, command(edits));
        const song = outcome.ok ? outcome.value.song : begun;
        expect(readSong(JSON.parse(JSON.stringify(song)))).toEqual({ ok: true, value: song });
      }),
    );
  });

  test('a width of −0 per cent is 0, as it would come back', () => {
    const edit: Edit = { kind: 'set-stage', partId: 'a', changes: { widthPercent: -0 } };
    const outcome = apply(begun, command([edit]));
    if (!outcome.ok) throw new Error(outcome.error.sentence);
    expect(readSong(JSON.parse(JSON.stringify(outcome.value.song)))).toEqual({
      ok: true,
      value: outcome.value.song,
    });
  });

  test('undo and redo through the log end where they began, whatever was done', () => {
    fc.assert(
      fc.property(
        fc.array(anyEdit, { maxLength: 10 }),
        fc.integer({ min: 0, max: 10 }),
        (edits, back) => {
          let song = begun;
          const log: LoggedCommand[] = [];
          const run = (next: Command | undefined) => {
            const outcome = next && apply(song, next);
            if (!next || !outcome?.ok) return false;
            song = outcome.value.song;
            log.push({ ...next, inverse: outcome.value.inverse });
            return true;
          };
          for (const edit of edits) run(command([edit]));
          const before = song;
          let undone = 0;
          while (undone < back && run(undoCommand(replay(log), 'u'))) undone++;
          for (let n = 0; n < undone; n++) expect(run(redoCommand(replay(log), 'r'))).toBe(true);
          expect(song).toEqual(before);
          expect(replay(log)).toEqual(log.reduce(record, emptyHistory));
        },
      ),
    );
  });
});

describe('undo keeps names', () => {
  test('doing something new empties redo', () => {
    const first = { ...command([{ kind: 'set-title', title: 'x' }], 'first'), inverse: [] };
    const undo: LoggedCommand = { ...first, role: 'undo' };
    const history = replay([first, undo]);
    expect(history.redo.at(-1)?.name).toBe('first');
    expect(history.undo).toHaveLength(0);
    expect(record(history, { ...first, name: 'second' }).redo).toHaveLength(0);
  });
});

describe('what a song refuses', () => {
  const sentence = (edit: unknown) => {
    const outcome = apply(begun, command([edit as Edit]));
    return outcome.ok ? 'taken' : `${outcome.error.place}: ${outcome.error.sentence}`;
  };
  test.each<[string, unknown, RegExp]>([
    [
      'a delay of 175 ms',
      {
        kind: 'set-voice',
        partId: 'a',
        voiceId: 'v1',
        changes: { delay: { value: 175, unit: 'ms' } },
      },
      /delay\.value: Delay must be between −50 and 150 ms; it was 175\.$/,
    ],
    [
      'a delay of 9000 samples',
      {
        kind: 'set-voice',
        partId: 'a',
        voiceId: 'v1',
        changes: { delay: { value: 9000, unit: 'samples' } },
      },
      /between −2400 and 7200 samples \(−50 and 150 ms\); it was 9000\.$/,
    ],
    [
      'a width of 250 %',
      { kind: 'set-stage', partId: 'a', changes: { widthPercent: 250 } },
      /Width must be between 0 and 200 %; it was 250\.$/,
    ],
    [
      'a level that is text',
      { kind: 'set-part', partId: 'a', changes: { levelDb: 'loud' } },
      /Part level must be a number between −60 and 12 dB; it was “loud”\.$/,
    ],
    [
      'a key that a voice has not',
      { kind: 'set-voice', partId: 'a', voiceId: 'v1', changes: { reverb: 1 } },
      /“changes\.reverb” is not known here; known are “name”/,
    ],
    [
      'a recording at another rate',
      {
        kind: 'put-recording',
        recording: { ...memoryRecording(7, 10, 44_100), fileName: 'x.wav' },
      },
      /“x\.wav” is at 44100 Hz, the song at 48000 Hz/,
    ],
    [
      'dropping a recording in use',
      { kind: 'drop-recording', hash: recordings[0].hash },
      /used by a part or as the bed/,
    ],
    [
      'a take that is not there',
      {
        kind: 'set-image',
        partId: 'a',
        image: { ...neutralImage(), voices: [newVoice('v1', 'x', { take: 2 })] },
      },
      /Take must be 1, since there is one take; it was 2\.$/,
    ],
    [
      'too many voices',
      {
        kind: 'set-image',
        partId: 'a',
        image: {
          ...neutralImage(),
          voices: Array.from({ length: 17 }, (_, n) => newVoice(`v${n}`, 'x')),
        },
      },
      /at most 16 voices; it had 17/,
    ],
    ['an edit that is none', { kind: 'nothing' }, /There is no edit called “nothing”/],
    ['an edit without what it needs', { kind: 'add-part', part: {}, index: 0 }, /./],
  ])('%s', (_, edit, expected) => {
    expect(sentence(edit)).toMatch(expected);
  });
});

test('a newer song is refused, an older one goes through every migration once', () => {
  const newer = readSong({ formatVersion: 4 });
  expect(newer.ok ? '' : newer.error.sentence).toBe(
    'This song was saved by a newer Pannet (format 4); this one reads up to format 3.',
  );
  expect(readSong({}).ok).toBe(false);
  expect(readSong(null).ok).toBe(false);
  // Frozen: what the mechanism did to this document is what it must go on doing.
  const steps = [
    (saved: object) => ({ ...saved, one: 1 }),
    (saved: object) => ({ ...saved, two: 2 }),
  ];
  expect(migrate({ formatVersion: 1, kept: 0 }, steps)).toEqual({
    ok: true,
    value: { formatVersion: 3, kept: 0, one: 1, two: 2 },
  });
  expect(migrate({ formatVersion: 2 }, steps)).toEqual({
    ok: true,
    value: { formatVersion: 3, two: 2 },
  });
});

test('the song is as long as its longest take', () => {
  expect(songFrames(begun)).toBe(96_000);
  expect(
    songFrames(
      applied(begun, [{ kind: 'set-bed', bed: { recording: recordings[2].hash, levelDb: 0 } }]),
    ),
  ).toBe(144_000);
});
