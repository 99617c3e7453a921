import { readFileSync } from 'node:fs';
import { expect, test } from '@jest/globals';
import { compile } from '../../rendering/compile.ts';
import { apply } from '../commands.ts';
import type { Edit } from '../edits/edit.ts';
import { readSong } from '../saved-song.ts';
import { editToVersion2 } from './to-version-2.ts';
import { editToVersion3 } from './to-version-3.ts';

/** Frozen: a song as format 1 saved it. */
const saved = JSON.parse(
  readFileSync(new URL('./song-1.json', import.meta.url), 'utf8'),
) as Parameters<typeof editToVersion2>[0] & { parts: Record<string, unknown> };

function migrated() {
  const outcome = readSong(saved);
  if (!outcome.ok) throw new Error(outcome.error.sentence);
  return outcome.value;
}

test('a song of format 1 becomes one of the newest that passes every check', () => {
  const song = migrated();
  expect(song.formatVersion).toBe(3);
  expect(song.comparisons).toEqual([]);
  for (const part of Object.values(song.parts)) {
    const again = apply(song, {
      id: 'c',
      name: 'the same',
      role: 'do',
      edits: [
        { kind: 'set-image', partId: part.id, image: part.image },
        { kind: 'set-part', partId: part.id, changes: { plainVoice: null, toggleKey: null } },
        { kind: 'set-preparation', partId: part.id, preparation: part.preparation },
        { kind: 'set-draft', partId: part.id, number: '1', image: part.image },
      ],
    });
    expect(again.ok ? '' : again.error.sentence).toBe('');
  }
});

test('it sounds as before: nothing is done to any source, and every voice is one strand', () => {
  const song = migrated();
  for (const part of compile(song, new Map()).parts) {
    expect(part.plain.strand.source.key).toMatch(/^[0-9a-f]{64}:0$/);
    expect(part.strands.map((strand) => strand.id)).toEqual(
      song.parts[part.id].image.voices.map((voice) => voice.id),
    );
    for (const strand of part.strands) {
      expect(strand.source.key).toMatch(/^[0-9a-f]{64}:0$/);
      expect(strand.drift).toBeNull();
    }
    expect(part.stage.opening).toBeNull();
  }
});

test('steps in the log of a song of format 1 can be applied to one of the newest', () => {
  const song = migrated();
  const [partId] = song.partOrder;
  const old = saved.parts[partId] as Record<string, unknown> & { image: object };
  const edits = [
    { kind: 'set-voice', partId, voiceId: 'v1', changes: { tuner: { kind: 'single', cents: 4 } } },
    { kind: 'set-voice', partId, voiceId: 'v1', changes: { levelDb: -3 } },
    { kind: 'set-stage', partId, changes: { widthPercent: 80 } },
    { kind: 'set-image', partId, image: old.image },
    { kind: 'remove-part', partId },
    { kind: 'add-part', index: 0, part: old },
  ]
    .map(editToVersion2)
    .map(editToVersion3) as unknown as Edit[];
  const outcome = apply(song, { id: 'c', name: 'old steps', role: 'do', edits });
  expect(outcome.ok ? '' : outcome.error.sentence).toBe('');
  if (outcome.ok) expect(outcome.value.song.parts[partId].image).toEqual(song.parts[partId].image);
});
