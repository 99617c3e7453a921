import type { Edit } from '@pannet/core/song/edits/edit';
import type { Part, Recording, Song, Take } from '@pannet/core/song/song';
import { takesEdit, withMoreTakes } from '@pannet/core/song/takes-of-part';
import { mostTakes } from '@pannet/core/takes/take';
import { factsSentence } from './facts-sentence.ts';
import { originText } from './origin-text.ts';
import { isReallyStereo, nameOf } from './placing.ts';

/** The part whose takes files become, and the take that one of them replaces. */
export interface IntoPart {
  readonly partId: string;
  readonly takeId?: string;
}

/** What a recording does to a part, and what is said of it; the edits are null where it cannot be. */
export interface TakesPlaced {
  readonly step: string;
  readonly edits: readonly Edit[] | null;
  readonly sentence: string;
}

/** A recording as takes of a part that is there: the channels of what is really stereo are two. */
export function takesInto(song: Song, { partId, takeId }: IntoPart, kept: Recording): TakesPlaced {
  const { fileName } = kept;
  const refused = (sentence: string) => ({ step: '', edits: null, sentence });
  if (!Object.hasOwn(song.parts, partId))
    return refused(`“${fileName}”: the part that it was for is gone.`);
  const part = song.parts[partId];
  if (takeId !== undefined) return inPlaceOf(song, part, takeId, kept);
  const channels = isReallyStereo(kept) ? ['left', 'right'] : [null];
  if (part.takes.length + channels.length > mostTakes)
    return refused(`“${fileName}”: “${part.name}” has ${mostTakes} takes, the most there may be.`);
  const more = channels.map((side, channel) => ({
    recording: kept.hash,
    channel,
    name: side ? `${nameOf(fileName).slice(0, 70)} ${side}` : nameOf(fileName),
  }));
  const what = channels.length > 1 ? 'Its two channels became takes' : 'It became a take';
  return {
    step: `${part.name}: take ${fileName}`,
    edits: takesEdits(song, part, kept, withMoreTakes(part, more)),
    sentence: `“${fileName}”: ${what} of “${part.name}”. ${factsSentence(kept)}${originText(kept)}`,
  };
}

/** Another file in the place of a take's: all else of it is kept, but what was found by the sound of the one before. */
function inPlaceOf(song: Song, part: Part, takeId: string, kept: Recording): TakesPlaced {
  const { fileName } = kept;
  const takes = part.takes.map((take) =>
    take.id === takeId
      ? {
          ...take,
          recording: kept.hash,
          channel: 0,
          align: take.align && { ...take.align, polarity: 'normal' as const, path: null },
        }
      : take,
  );
  const left = isReallyStereo(kept) ? ' Its left channel alone: the right one is left out.' : '';
  return {
    step: `${part.name}: replace by ${fileName}`,
    edits: takesEdits(song, part, kept, takes),
    sentence: `“${fileName}” is in the place of another take of “${part.name}”, with its cuts and its level.${left} ${factsSentence(kept)}${originText(kept)}`,
  };
}

function takesEdits(song: Song, part: Part, kept: Recording, takes: readonly Take[]): Edit[] {
  const known = Object.hasOwn(song.recordings, kept.hash);
  return [
    ...(known ? [] : [{ kind: 'put-recording', recording: kept } as const]),
    takesEdit(part, takes),
  ];
}
