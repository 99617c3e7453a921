import { checkImage } from '../image/image.ts';
import { failure, success, type Outcome } from '../outcome.ts';
import { allOf, checkParameter, describe } from '../parameters/parameter.ts';
import { partParameters } from '../parameters/tables.ts';
import { checkPreparation } from '../takes/preparation.ts';
import { earlier, edited, type Edit, type Edited, type PartChanges } from './edit.ts';
import { families, mostParts, type Part, type Song } from './song.ts';

export function changePart(
  song: Song,
  partId: string,
  change: (part: Part) => Outcome<{ part: Part; inverse: Edit }>,
): Outcome<Edited> {
  const part = Object.hasOwn(song.parts, partId) ? song.parts[partId] : undefined;
  if (!part) return noPart(partId);
  const changed = change(part);
  if (!changed.ok) return changed;
  return edited(
    { ...song, parts: { ...song.parts, [partId]: changed.value.part } },
    changed.value.inverse,
  );
}

export function noPart(partId: string): Outcome<never> {
  return failure('no-part', `The song has no part with the id ${describe(partId)}.`, 'partId');
}

export function addPart(song: Song, part: Part, index: number): Outcome<Edited> {
  if (Object.hasOwn(song.parts, part.id))
    return failure('same-id', `The song already has a part with the id “${part.id}”.`, 'part.id');
  if (song.partOrder.length >= mostParts)
    return failure('too-many-parts', `A song has at most ${mostParts} parts.`, 'part');
  if (!Number.isInteger(index) || index < 0 || index > song.partOrder.length)
    return failure(
      'bad-index',
      `A part's place is from 0 to ${song.partOrder.length}; it was ${describe(index)}.`,
      'index',
    );
  const checked = checkPart(song, part);
  if (!checked.ok) return checked;
  return edited(
    {
      ...song,
      parts: { ...song.parts, [part.id]: part },
      partOrder: song.partOrder.toSpliced(index, 0, part.id),
    },
    { kind: 'remove-part', partId: part.id },
  );
}

function checkPart(song: Song, part: Part): Outcome<unknown> {
  if (typeof part.name !== 'string' || part.name.trim() === '' || part.name.length > 80)
    return failure(
      'bad-name',
      `A part's name has 1 to 80 characters; it was ${describe(part.name)}.`,
      'part.name',
    );
  if (!families.includes(part.family))
    return failure(
      'bad-family',
      `A part's family is one of ${families.join(', ')}; it was ${describe(part.family)}.`,
      'part.family',
    );
  if (typeof part.muted !== 'boolean')
    return failure(
      'bad-muted',
      `Muted must be true or false; it was ${describe(part.muted)}.`,
      'part.muted',
    );
  if (part.plainVoice !== null && !/^.{1,40}$/.test(part.plainVoice))
    return failure(
      'bad-plain-voice',
      `Plain is the id of a voice, or null for the take; it was ${describe(part.plainVoice)}.`,
      'part.plainVoice',
    );
  if (part.toggleKey !== null && !/^[a-z]$/.test(part.toggleKey))
    return failure(
      'bad-key',
      `A part's toggle key is one letter from a to z, or null; it was ${describe(part.toggleKey)}.`,
      'part.toggleKey',
    );
  if (part.takes.length === 0)
    return failure('no-take', 'A part needs at least one take.', 'part.takes');
  for (const [n, take] of part.takes.entries()) {
    const recording = Object.hasOwn(song.recordings, take.recording)
      ? song.recordings[take.recording]
      : undefined;
    if (!recording)
      return failure(
        'no-recording',
        'A take names a recording that the song does not have.',
        `part.takes[${n}]`,
      );
    if (!Number.isInteger(take.channel) || take.channel < 0 || take.channel >= recording.channels)
      return failure(
        'no-channel',
        `“${recording.fileName}” has no channel ${describe(take.channel)}.`,
        `part.takes[${n}].channel`,
      );
  }
  const rateHz = song.rateHz ?? 48_000;
  const takes = part.takes.length;
  return allOf(
    part,
    checkParameter(partParameters.levelDb, part.levelDb, 'part.levelDb'),
    checkPreparation(part.preparation, 'part.preparation'),
    checkImage(part.image, rateHz, takes, 'part.image'),
    ...Object.entries(part.drafts).flatMap(([number, draft]) => [
      checkDraftNumber(number),
      checkImage(draft, rateHz, takes, `part.drafts.${number}`),
    ]),
    part.draft === null ? success(null) : checkDraftNumber(part.draft),
  );
}

export function removePart(song: Song, partId: string): Outcome<Edited> {
  if (!Object.hasOwn(song.parts, partId)) return noPart(partId);
  const { [partId]: part, ...parts } = song.parts;
  const index = song.partOrder.indexOf(partId);
  return edited(
    { ...song, parts, partOrder: song.partOrder.toSpliced(index, 1) },
    { kind: 'add-part', part, index },
  );
}

export function checkDraftNumber(number: string): Outcome<unknown> {
  if (/^[1-9]$/.test(number)) return success(number);
  return failure(
    'bad-draft',
    `A draft is kept under one of the keys 1 to 9; it was ${describe(number)}.`,
    'number',
  );
}

const changeable = ['name', 'family', 'levelDb', 'muted', 'plainVoice', 'toggleKey'];

export function setPart(song: Song, partId: string, changes: PartChanges): Outcome<Edited> {
  return changePart(song, partId, (part) => {
    const unknown = Object.keys(changes).find((key) => !changeable.includes(key));
    if (unknown)
      return failure('unknown-key', `“${unknown}” is nothing that a part can be given.`, 'changes');
    const changed = { ...part, ...changes };
    const checked = checkPart(song, changed);
    if (!checked.ok) return checked;
    const inverse: Edit = {
      kind: 'set-part',
      partId,
      changes: earlier<PartChanges>(part, changes),
    };
    return success({ part: changed, inverse });
  });
}
