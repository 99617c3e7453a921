import { describe, expect, test } from '@jest/globals';
import midi from '@tonejs/midi';
import { writeMidi } from 'midi-file';
import fc from 'fast-check';
import { tempoDescription, beatsAt, secondsAtBeat } from '../moves/tempo.ts';
import { isMidiFile } from '../formats/file-name.ts';
import { integratedLoudness } from '../measurement/loudness.ts';
import { measureStereo } from '../measurement/report.ts';
import { readMidiFile, type WrittenNotes } from './midi-file.ts';
import {
  grids,
  perform,
  performedTake,
  plainly,
  shiftWarning,
  simulatedInstruments,
  tooLongText,
  type SimulatedInstrument,
} from './performance.ts';

const { abs } = Math;

/** A file written by the package itself, tempo changes and all. */
function written(): { readonly bytes: Uint8Array; readonly by: InstanceType<typeof midi.Midi> } {
  const by = new midi.Midi();
  by.header.tempos.push(
    { ticks: 0, bpm: 90 },
    { ticks: 960, bpm: 140 },
    { ticks: 2400, bpm: 71.5 },
  );
  by.header.timeSignatures.push({ ticks: 0, timeSignature: [3, 4] });
  by.header.update();
  by.addTrack().name = 'silent';
  const track = by.addTrack();
  track.name = 'harp';
  for (let n = 0; n < 24; n++)
    track.addNote({
      midi: 57 + (n % 7),
      ticks: n * 240 + (n % 3) * 7,
      durationTicks: 200,
      velocity: 88 / 127,
    });
  return { bytes: by.toArray(), by };
}

/** As many notes of one line as are asked for, one after the other. */
function manyNotes(count: number): Uint8Array {
  const events = Array.from({ length: 2 * count }, (_, n) => ({
    deltaTime: 10,
    channel: 0,
    type: n % 2 ? ('noteOff' as const) : ('noteOn' as const),
    noteNumber: 40 + (n % 31),
    velocity: 80,
  }));
  const header = { format: 1 as const, numTracks: 1, ticksPerBeat: 480 };
  return Uint8Array.from(writeMidi({ header, tracks: [events] }));
}

function read(): WrittenNotes {
  const outcome = readMidiFile(written().bytes, 'harp.mid');
  if (!outcome.ok) throw new Error(outcome.error.sentence);
  return outcome.value;
}

describe('Standard MIDI Files', () => {
  test('lines without notes are left out; beats, keys and strengths are as they were written', () => {
    const { lines, tempo } = read();
    expect(lines.map(({ name }) => name)).toEqual(['harp']);
    expect(lines[0].notes).toHaveLength(24);
    expect(lines[0].notes[1]).toMatchObject({ beat: 247 / 480, key: 58 });
    expect(lines[0].notes[1].strength).toBe(88 / 127);
    expect(tempo.map(({ bpm }) => Math.round(10 * bpm) / 10)).toEqual([90, 140, 71.5]);
    expect(tempo[0].beatsPerBar).toBe(3);
  });

  test('notes sound when the package says that they do (@tonejs/midi)', () => {
    const { by } = written();
    const notes = perform(read().lines[0], read().tempo, plainly);
    for (const [n, note] of by.tracks[1].notes.entries()) {
      expect(notes[n].startSeconds).toBeCloseTo(note.time, 4);
      expect(notes[n].seconds).toBeCloseTo(note.duration, 4);
    }
  });

  test('any notes, also of one key over each other, are those that the package reads', () => {
    const note = fc.record({
      midi: fc.integer({ min: 60, max: 63 }),
      ticks: fc.nat(2000),
      durationTicks: fc.integer({ min: 1, max: 400 }),
    });
    fc.assert(
      fc.property(fc.array(note, { minLength: 1, maxLength: 40 }), (notes) => {
        const by = new midi.Midi();
        const track = by.addTrack();
        for (const each of notes) track.addNote({ ...each, velocity: 0.5 });
        const bytes = by.toArray();
        const outcome = readMidiFile(bytes, 'x.mid');
        if (!outcome.ok) throw new Error(outcome.error.sentence);
        const known = new midi.Midi(bytes).tracks[0].notes
          .map(({ ticks, durationTicks, midi: key }) => [ticks / 480, durationTicks / 480, key])
          .sort(([a, , k], [b, , l]) => a - b || k - l);
        const found = outcome.value.lines[0].notes.map(({ beat, beats, key }) => [
          beat,
          beats,
          key,
        ]);
        // Notes of one key that begin at once may be told in either order.
        const told = (list: number[][]) => list.map((each) => each.join()).sort();
        expect(told(found)).toEqual(told(known));
      }),
    );
  });

  test.each([
    ['no MIDI at all', new TextEncoder().encode('not a file of notes'), 'is no Standard MIDI File'],
    ['an empty file', new Uint8Array(0), 'is no Standard MIDI File'],
    [
      'time in film frames',
      written().bytes.map((byte, n) => (n === 12 ? 0xe7 : byte)),
      'film frames',
    ],
    ['no notes', new midi.Midi().toArray(), 'has no notes'],
    ['too large', new Uint8Array(4_000_001), 'larger than 4 MB'],
    [
      'beats without a length',
      written().bytes.map((byte, n) => (n === 12 || n === 13 ? 0 : byte)),
      'a beat has no length',
    ],
    ['very many notes', manyNotes(60_000), 'more than 50000 notes in one line'],
  ])('%s is refused with a sentence', (_, bytes, why) => {
    const outcome = readMidiFile(bytes, 'x.mid');
    expect(outcome.ok ? '' : outcome.error.sentence).toContain(why);
  });

  test('a file that breaks off anywhere is read or refused, never thrown', () => {
    const { bytes } = written();
    fc.assert(
      fc.property(fc.nat(bytes.length), (length) => {
        readMidiFile(bytes.slice(0, length), 'x.mid');
      }),
    );
  });

  test.each([
    ['a.mid', true],
    ['A.MIDI', true],
    ['a.wav', false],
  ])('%s by its name: %s', (name, is) => expect(isMidiFile(name)).toBe(is));
});

test('the beat of a time, and the time of that beat, for any tempo map', () => {
  const anyTempo = fc
    .array(
      fc.record({
        gap: fc.double({ min: 0.01, max: 50, noNaN: true }),
        bpm: fc.integer({ min: 10, max: 500 }),
      }),
      {
        minLength: 1,
        maxLength: 8,
      },
    )
    .map((changes) => {
      let at = 0;
      return tempoDescription.parse(
        changes.map(({ gap, bpm }, n) => ({ atS: n === 0 ? 0 : (at += gap), bpm })),
      );
    });
  fc.assert(
    fc.property(anyTempo, fc.double({ min: 0, max: 400, noNaN: true }), (tempo, seconds) => {
      expect(secondsAtBeat(tempo, beatsAt(tempo, seconds))).toBeCloseTo(seconds, 6);
    }),
  );
});

describe('a performance', () => {
  const { lines, tempo } = read();
  const human = { ...plainly, timingMs: 12, strengthPercent: 20, tuneCents: 6 };

  test('strays no farther than it may, and every seed is another one', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 1e6 }), (seed) => {
        const exact = perform(lines[0], tempo, plainly);
        const strayed = perform(lines[0], tempo, { ...human, seed });
        expect(strayed).toEqual(perform(lines[0], tempo, { ...human, seed }));
        expect(strayed).not.toEqual(perform(lines[0], tempo, { ...human, seed: seed + 1 }));
        for (const [n, note] of strayed.entries()) {
          expect(abs(note.startSeconds - exact[n].startSeconds)).toBeLessThanOrEqual(0.012 + 1e-9);
          expect(abs(1200 * Math.log2(note.hz / exact[n].hz))).toBeLessThanOrEqual(6 + 1e-9);
          expect(abs(note.strength / exact[n].strength - 1)).toBeLessThanOrEqual(0.2 + 1e-9);
        }
      }),
    );
  });

  test.each(grids)('on a grid of $name each note begins there', ({ beats }) => {
    for (const { startSeconds } of perform(lines[0], tempo, { ...plainly, gridBeats: beats })) {
      const places = beatsAt(tempo, startSeconds) / beats;
      expect(abs(places - Math.round(places))).toBeLessThan(1e-6);
    }
  });

  test('a shift of 4/128 of a whole note is an eighth of a beat later, whatever the tempo', () => {
    const exact = perform(lines[0], tempo, plainly);
    const late = perform(lines[0], tempo, { ...plainly, shift128ths: 4 });
    for (const [n, { startSeconds }] of late.entries())
      expect(beatsAt(tempo, startSeconds) - beatsAt(tempo, exact[n].startSeconds)).toBeCloseTo(
        0.125,
        6,
      );
  });

  test.each([
    [0, null, null],
    [3, 1 / 4, null],
    [4, 1 / 4, 'nearer to the next place'],
    [-8, 1 / 4, 'reaches the grid of sixteenths'],
    [8, 1 / 2, 'nearer to the next place'],
    [16, 1 / 2, 'reaches the grid of eighths'],
  ])('shifted by %s on %s: %s', (shift, grid, words) => {
    const warning = shiftWarning(shift, grid);
    if (words === null) expect(warning).toBeNull();
    else expect(warning).toContain(words);
  });

  test.each(Object.keys(simulatedInstruments) as SimulatedInstrument[])(
    'two on the %s are performances, not copies: they lose about 3 dB in the fold and cancel nothing',
    (instrument) => {
      const take = (seed: number) =>
        performedTake(lines[0], tempo, instrument, { ...human, seed }, 44_100);
      const [left, right] = [take(1), take(2)];
      expect(left.reduce((most, value) => Math.max(most, abs(value)), 0)).toBeCloseTo(0.5, 6);
      expect(
        abs(integratedLoudness([left], 44_100) - integratedLoudness([right], 44_100)),
      ).toBeLessThan(3);
      const { likeness, fold } = measureStereo(left, right.slice(0, left.length), 44_100).report;
      expect(abs(likeness?.value ?? 0)).toBeLessThan(0.8);
      expect(fold.lossDb).toBeLessThan(-1.5);
      expect(fold.lossDb).toBeGreaterThan(-4.5);
    },
  );

  test('the same seed plays the same bits; how far it has come is told', () => {
    const shares: number[] = [];
    const one = performedTake(lines[0], tempo, 'reed', human, 48_000, (share) =>
      shares.push(share),
    );
    expect(one).toEqual(performedTake(lines[0], tempo, 'reed', human, 48_000));
    expect(shares).toHaveLength(24);
    expect(shares).toEqual([...shares].sort((a, b) => a - b));
  });

  test('what is longer than ten minutes is said', () => {
    expect(tooLongText(lines[0], tempo)).toBeNull();
    const long = { name: 'long', notes: [{ beat: 2000, beats: 1, key: 60, strength: 1 }] };
    expect(tooLongText(long, tempoDescription.parse([{ atS: 0, bpm: 60 }]))).toContain(
      '33 minutes',
    );
  });
});
