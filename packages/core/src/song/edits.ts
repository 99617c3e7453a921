import { checkImage, type Image } from '../image/image.ts';
import { failure, success, type Outcome } from '../outcome.ts';
import { allOf, describe } from '../parameters/parameter.ts';
import { checkPreparation } from '../takes/preparation.ts';
import { panLaws } from '../voices/pan-law.ts';
import { checkVoice, type Voice } from '../voices/voice.ts';
import { addComparison, removeComparison } from './comparison-edits.ts';
import { earlier, edited, type Edit, type Edited } from './edit.ts';
import { addPart, changePart, checkDraftNumber, removePart, setPart } from './part-edits.ts';
import { dropRecording, putRecording, setBed, setRate } from './recording-edits.ts';
import type { Song } from './song.ts';

export type { Edit, Edited, PartChanges } from './edit.ts';

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
