import { createHash } from 'node:crypto';
import { expect, test } from '@jest/globals';
import { bytesInMemory } from '../formats/byte-source.ts';
import { readWavLayout } from '../formats/wav-read.ts';
import { apply } from '../song/commands.ts';
import { inTempo } from '../rooms/in-tempo.ts';
import { emptySong, type Recording } from '../song/song.ts';
import { demoEdits, demoRecordings } from './demo-song.ts';
import { plucked } from '../performing/instruments.ts';
import { pitchHz } from '../performing/note.ts';
import { demoTape, score } from './score.ts';

test('the demo song is one that the rules allow: eight parts of six families, a bed, three parts wide', async () => {
  const recordings: Recording[] = [];
  for (const { fileName, bytes: synthesise } of demoRecordings()) {
    const bytes = synthesise();
    const layout = await readWavLayout(bytesInMemory(bytes), fileName);
    if (!layout.ok) throw new Error(layout.error.sentence);
    const hash = createHash('sha256').update(bytes).digest('hex');
    recordings.push({ hash, fileName, ...layout.value });
  }
  expect(recordings.every(({ frames, rateHz }) => frames <= 1_920_000 && rateHz === 48_000)).toBe(
    true,
  );
  const made = apply(emptySong('d', 'Demo'), {
    id: 'd',
    name: 'begin',
    role: 'do',
    edits: await demoEdits(recordings),
  });
  if (!made.ok) throw new Error(made.error.sentence);
  const parts = Object.values(made.value.song.parts);
  expect(new Set(parts.map((part) => part.family)).size).toBe(6);
  expect(parts.filter((part) => part.image.voices.length > 1).map((part) => part.name)).toEqual([
    'Reed box',
    'Lap strings',
    'Deep lute',
  ]);
  const chains = made.value.song.parts['deep-lute'].image.voices.map(
    ({ amp }) => amp?.cabinet && 'kind' in amp.cabinet && amp.cabinet.kind,
  );
  expect(chains).toEqual(['small-open-backed', 'squat-four-cone']);
  // Four performances that truly differ, in time with the first one.
  const { takes, image } = made.value.song.parts['lap-strings'];
  expect(new Set(takes.map(({ recording }) => recording)).size).toBe(4);
  expect(takes.map(({ align }) => align?.to ?? null)).toEqual([null, 't1', 't1', 't1']);
  for (const { align } of takes.slice(1)) expect(align?.path?.at.length).toBeGreaterThan(5);
  expect(image.voices.map(({ take }) => take)).toEqual([1, 2, 3, 4]);
  expect(made.value.song.bed).not.toBeNull();
  // Heard together: two groups, two rooms and an echo in time; a level, throws and a swell along the song.
  const { groups, rooms, moves } = made.value.song;
  expect(groups.map(({ name, partIds }) => [name, partIds.length])).toEqual([
    ['Strings', 3],
    ['Air', 2],
  ]);
  expect(rooms.map(({ kind, feeds }) => [kind, feeds.length])).toEqual([
    ['hall', 3],
    ['plate', 2],
    ['echo', 1],
  ]);
  expect(inTempo(rooms[2], made.value.song.tempo).echo.timeMs).toBeCloseTo(450, 9);
  expect(moves.map(({ target: { kind, parameter } }) => [kind, parameter])).toEqual([
    ['group', 'levelDb'],
    ['part', 'imagePercent'],
    ['part', 'levelDb'],
  ]);
});

test('the same seed gives the same bits, another one others', () => {
  const notes = score.plucked.slice(0, 4);
  const bits = (seed: number) => Buffer.from(plucked(notes, seed, demoTape).buffer);
  expect(bits(5).equals(bits(5))).toBe(true);
  expect(bits(5).equals(bits(6))).toBe(false);
});

test('A above middle C is 440 Hz (ISO 16)', () => {
  expect(pitchHz(69)).toBe(440);
});
