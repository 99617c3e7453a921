import { checkImage, type Image } from '../image/image.ts';
import type { Stage } from '../image/stage.ts';
import { failure, success, type Outcome } from '../outcome.ts';
import { allOf, checkParameter, describe } from '../parameters/parameter.ts';
import { bedParameters, partParameters, rateParameter } from '../parameters/tables.ts';
import { panLaws, type PanLaw } from '../voices/pan-law.ts';
import { checkPreparation, type Preparation } from '../takes/preparation.ts';
import { checkVoice, type Voice } from '../voices/voice.ts';
import {
  families,
  mostComparisons,
  mostParts,
  type Bed,
  type Comparison,
  type Family,
  type Part,
  type Recording,
  type Song,
} from './song.ts';

/** The smallest changes of a song. They carry absolute values, never differences. */
export type Edit =
  | { readonly kind: 'set-title'; readonly title: string }
  | { readonly kind: 'set-pan-law'; readonly panLaw: PanLaw }
  | { readonly kind: 'put-recording'; readonly recording: Recording }
  | { readonly kind: 'drop-recording'; readonly hash: string }
  | { readonly kind: 'set-rate'; readonly rateHz: number | null }
  | { readonly kind: 'set-bed'; readonly bed: Bed | null }
  | { readonly kind: 'add-part'; readonly part: Part; readonly index: number }
  | { readonly kind: 'remove-part'; readonly partId: string }
  | { readonly kind: 'set-part'; readonly partId: string; readonly changes: PartChanges }
  | { readonly kind: 'set-image'; readonly partId: string; readonly image: Image }
  | {
      readonly kind: 'set-voice';
      readonly partId: string;
      readonly voiceId: string;
      readonly changes: Partial<Omit<Voice, 'id'>>;
    }
  | { readonly kind: 'set-stage'; readonly partId: string; readonly changes: Partial<Stage> }
  | { readonly kind: 'set-preparation'; readonly partId: string; readonly preparation: Preparation }
  /** Keeps an image under a number key; null clears it. */
  | {
      readonly kind: 'set-draft';
      readonly partId: string;
      readonly number: string;
      readonly image: Image | null;
    }
  /** Which draft the image was last kept as or recalled from. */
  | { readonly kind: 'choose-draft'; readonly partId: string; readonly number: string | null }
  | { readonly kind: 'add-comparison'; readonly comparison: Comparison; readonly index: number }
  | { readonly kind: 'remove-comparison'; readonly id: string };

export type PartChanges = Partial<{
  name: string;
  family: Family;
  levelDb: number;
  muted: boolean;
  plainVoice: string | null;
  toggleKey: string | null;
}>;

export interface Edited {
  readonly song: Song;
  /** Restores the song as it was, field for field. */
  readonly inverse: Edit;
}

export function applyEdit(song: Song, edit: Edit): Outcome<Edited> {
  switch (edit.kind) {
    case 'set-title':
      return checkText('A title', edit.title, 120, 'title', () =>
        edited({ ...song, title: edit.title }, { kind: 'set-title', title: song.title }),
      );
    case 'set-pan-law':
      if (!panLaws.includes(edit.panLaw))
        return failure(
          'bad-pan-law',
          `The pan law must be one of ${panLaws.join(', ')} dB; it was ${describe(edit.panLaw)}.`,
          'panLaw',
        );
      return edited({ ...song, panLaw: edit.panLaw }, { kind: 'set-pan-law', panLaw: song.panLaw });
    case 'put-recording':
      return putRecording(song, edit.recording);
    case 'drop-recording':
      return dropRecording(song, edit.hash);
    case 'set-rate':
      return setRate(song, edit.rateHz);
    case 'set-bed':
      return setBed(song, edit.bed);
    case 'add-part':
      return addPart(song, edit.part, edit.index);
    case 'remove-part':
      return removePart(song, edit.partId);
    case 'set-part':
      return setPart(song, edit.partId, edit.changes);
    case 'set-image':
      return changePart(song, edit.partId, (part) => {
        const checked = checkImage(edit.image, song.rateHz ?? 48_000, part.takes.length);
        if (!checked.ok) return checked;
        return success({
          part: { ...part, image: edit.image },
          inverse: { kind: 'set-image', partId: part.id, image: part.image },
        });
      });
    case 'set-voice':
      return setVoice(song, edit.partId, edit.voiceId, edit.changes);
    case 'set-stage':
      return changePart(song, edit.partId, (part) => {
        const image = { ...part.image, stage: { ...part.image.stage, ...edit.changes } };
        const checked = checkImage(image, song.rateHz ?? 48_000, part.takes.length);
        if (!checked.ok) return checked;
        const changes = earlier(part.image.stage, edit.changes);
        return success({
          part: { ...part, image },
          inverse: { kind: 'set-stage', partId: part.id, changes },
        });
      });
    case 'set-preparation':
      return changePart(song, edit.partId, (part) => {
        const checked = checkPreparation(edit.preparation, 'preparation');
        if (!checked.ok) return checked;
        const inverse: Edit = {
          kind: 'set-preparation',
          partId: part.id,
          preparation: part.preparation,
        };
        return success({ part: { ...part, preparation: edit.preparation }, inverse });
      });
    case 'set-draft':
      return setDraft(song, edit.partId, edit.number, edit.image);
    case 'choose-draft':
      return changePart(song, edit.partId, (part) => {
        const checked = checkDraftNumber(edit.number ?? '1');
        if (!checked.ok) return checked;
        const inverse: Edit = { kind: 'choose-draft', partId: part.id, number: part.draft };
        return success({ part: { ...part, draft: edit.number }, inverse });
      });
    case 'add-comparison':
      return addComparison(song, edit.comparison, edit.index);
    case 'remove-comparison':
      return removeComparison(song, edit.id);
    default:
      return failure(
        'unknown-edit',
        `There is no edit called ${describe((edit satisfies never as { kind?: unknown }).kind)}.`,
        'kind',
      );
  }
}

function edited(song: Song, inverse: Edit): Outcome<Edited> {
  return success({ song, inverse });
}

function checkText(
  what: string,
  text: unknown,
  longest: number,
  place: string,
  then: () => Outcome<Edited>,
): Outcome<Edited> {
  if (typeof text !== 'string' || text.trim() === '' || text.length > longest)
    return failure(
      'bad-name',
      `${what} has 1 to ${longest} characters; it was ${describe(text)}.`,
      place,
    );
  return then();
}

/** The values that `changes` replaces. */
function earlier<Thing extends object>(thing: Thing, changes: Partial<Thing>): Partial<Thing> {
  return Object.fromEntries(
    Object.keys(changes).map((key) => [key, thing[key as keyof Thing]]),
  ) as Partial<Thing>;
}

function changePart(
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

function noPart(partId: string): Outcome<never> {
  return failure('no-part', `The song has no part with the id ${describe(partId)}.`, 'partId');
}

function putRecording(song: Song, recording: Recording): Outcome<Edited> {
  if (!/^[0-9a-f]{64}$/.test(recording.hash))
    return failure(
      'bad-hash',
      'A recording is named by the 64 hexadecimal digits of its SHA-256.',
      'recording.hash',
    );
  if (Object.hasOwn(song.recordings, recording.hash))
    return failure(
      'same-recording',
      `“${recording.fileName}” is in this song already.`,
      'recording.hash',
    );
  const rate = checkParameter(rateParameter, recording.rateHz, 'recording.rateHz');
  if (!rate.ok) return rate;
  if (song.rateHz !== null && recording.rateHz !== song.rateHz)
    return failure(
      'other-rate',
      `“${recording.fileName}” is at ${recording.rateHz} Hz, the song at ${song.rateHz} Hz. It has to be converted to the song's rate before it comes in.`,
      'recording.rateHz',
    );
  return edited(
    { ...song, recordings: { ...song.recordings, [recording.hash]: recording } },
    { kind: 'drop-recording', hash: recording.hash },
  );
}

function dropRecording(song: Song, hash: string): Outcome<Edited> {
  if (!Object.hasOwn(song.recordings, hash))
    return failure('no-recording', `The song has no recording ${describe(hash)}.`, 'hash');
  const used =
    song.bed?.recording === hash ||
    Object.values(song.parts).some((part) => part.takes.some((take) => take.recording === hash));
  if (used)
    return failure(
      'in-use',
      'This recording is used by a part or as the bed; remove that first.',
      'hash',
    );
  const { [hash]: dropped, ...recordings } = song.recordings;
  return edited({ ...song, recordings }, { kind: 'put-recording', recording: dropped });
}

function setRate(song: Song, rateHz: number | null): Outcome<Edited> {
  if (rateHz !== null) {
    const checked = checkParameter(rateParameter, rateHz, 'rateHz');
    if (!checked.ok) return checked;
  }
  const other = Object.values(song.recordings).find((recording) => recording.rateHz !== rateHz);
  if (other)
    return failure(
      'other-rate',
      `The song's rate is that of its recordings (${other.rateHz} Hz).`,
      'rateHz',
    );
  return edited({ ...song, rateHz }, { kind: 'set-rate', rateHz: song.rateHz });
}

function setBed(song: Song, bed: Bed | null): Outcome<Edited> {
  if (bed) {
    if (!Object.hasOwn(song.recordings, bed.recording))
      return failure(
        'no-recording',
        'The bed names a recording that the song does not have.',
        'bed.recording',
      );
    const level = checkParameter(bedParameters.levelDb, bed.levelDb, 'bed.levelDb');
    if (!level.ok) return level;
  }
  return edited({ ...song, bed }, { kind: 'set-bed', bed: song.bed });
}

function addPart(song: Song, part: Part, index: number): Outcome<Edited> {
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

function removePart(song: Song, partId: string): Outcome<Edited> {
  if (!Object.hasOwn(song.parts, partId)) return noPart(partId);
  const { [partId]: part, ...parts } = song.parts;
  const index = song.partOrder.indexOf(partId);
  return edited(
    { ...song, parts, partOrder: song.partOrder.toSpliced(index, 1) },
    { kind: 'add-part', part, index },
  );
}

/** To the second, in universal time. */
const isoTime = /^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d(?:\.\d+)?Z$/;

function addComparison(song: Song, comparison: Comparison, index: number): Outcome<Edited> {
  const { id, at, partId, first, second, rounds, firstChosen } = comparison;
  if (song.comparisons.some((other) => other.id === id))
    return failure('same-id', `There is a comparison with the id ${describe(id)} already.`, 'id');
  if (song.comparisons.length >= mostComparisons)
    return failure(
      'too-many-comparisons',
      `A song keeps at most ${mostComparisons} comparisons; remove older ones first.`,
      'comparison',
    );
  if (!Number.isInteger(index) || index < 0 || index > song.comparisons.length)
    return failure(
      'bad-index',
      `A comparison's place is from 0 to ${song.comparisons.length}; it was ${describe(index)}.`,
      'index',
    );
  const known = [first, second].every((state) => /^(?:plain|image|[1-9])$/.test(state));
  if (!known || first === second)
    return failure(
      'bad-states',
      'Two different ones of “plain”, “image” and the drafts 1 to 9 are compared.',
      'comparison',
    );
  const counted =
    Number.isInteger(rounds) &&
    Number.isInteger(firstChosen) &&
    rounds >= 1 &&
    rounds <= 1000 &&
    firstChosen >= 0 &&
    firstChosen <= rounds;
  const named = [id, partId, at].every((text) => typeof text === 'string' && text.length <= 80);
  if (!counted || !named || !isoTime.test(at))
    return failure(
      'bad-comparison',
      'A comparison has an id, a part, a time and 1 to 1000 rounds, and the first was chosen in none to all of them.',
      'comparison',
    );
  return edited(
    { ...song, comparisons: song.comparisons.toSpliced(index, 0, comparison) },
    { kind: 'remove-comparison', id },
  );
}

function removeComparison(song: Song, id: string): Outcome<Edited> {
  const index = song.comparisons.findIndex((comparison) => comparison.id === id);
  if (index < 0)
    return failure('no-comparison', `There is no comparison with the id ${describe(id)}.`, 'id');
  return edited(
    { ...song, comparisons: song.comparisons.toSpliced(index, 1) },
    { kind: 'add-comparison', comparison: song.comparisons[index], index },
  );
}

function checkDraftNumber(number: string): Outcome<unknown> {
  if (/^[1-9]$/.test(number)) return success(number);
  return failure(
    'bad-draft',
    `A draft is kept under one of the keys 1 to 9; it was ${describe(number)}.`,
    'number',
  );
}

function setDraft(
  song: Song,
  partId: string,
  number: string,
  image: Image | null,
): Outcome<Edited> {
  return changePart(song, partId, (part) => {
    const checked = allOf(
      number,
      checkDraftNumber(number),
      image ? checkImage(image, song.rateHz ?? 48_000, part.takes.length) : success(null),
    );
    if (!checked.ok) return checked;
    const { [number]: before = null, ...others } = part.drafts;
    const drafts = image ? { ...others, [number]: image } : others;
    const inverse: Edit = { kind: 'set-draft', partId, number, image: before };
    return success({ part: { ...part, drafts }, inverse });
  });
}

const changeable = ['name', 'family', 'levelDb', 'muted', 'plainVoice', 'toggleKey'];

function setPart(song: Song, partId: string, changes: PartChanges): Outcome<Edited> {
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

function setVoice(
  song: Song,
  partId: string,
  voiceId: string,
  changes: Partial<Omit<Voice, 'id'>>,
): Outcome<Edited> {
  return changePart(song, partId, (part) => {
    const index = part.image.voices.findIndex((voice) => voice.id === voiceId);
    if (index < 0)
      return failure(
        'no-voice',
        `“${part.name}” has no voice with the id ${describe(voiceId)}.`,
        'voiceId',
      );
    const voice = part.image.voices[index];
    const changed = { ...voice, ...changes, id: voiceId };
    const unknown = Object.keys(changed).find((key) => !Object.hasOwn(voice, key));
    if (unknown)
      return failure(
        'unknown-key',
        `“${unknown}” is nothing that a voice can be given.`,
        'changes',
      );
    const checked = checkVoice(
      changed,
      song.rateHz ?? 48_000,
      part.takes.length,
      `voices[${index}]`,
    );
    if (!checked.ok) return checked;
    const image = { ...part.image, voices: part.image.voices.with(index, changed) };
    const inverse: Edit = { kind: 'set-voice', partId, voiceId, changes: earlier(voice, changes) };
    return success({ part: { ...part, image }, inverse });
  });
}
