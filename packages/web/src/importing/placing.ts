import type { Image } from '@pannet/core/image/image';
import { neutralStage } from '@pannet/core/image/stage';
import type { Edit } from '@pannet/core/song/edits/edit';
import { guessFamily } from '@pannet/core/song/family-guess';
import { newPart, type Family, type Recording, type Song } from '@pannet/core/song/song';
import { isReallyMono } from '@pannet/core/sources/facts';
import { mostTakes } from '@pannet/core/takes/take';
import { newVoice } from '@pannet/core/voices/voice';
import { factsSentence } from './facts-sentence.ts';
import { originText } from './origin-text.ts';

/** What becomes of recordings that came together. */
export const answers = {
  part: 'a part',
  pair: 'a pair: its two channels as takes, hard left and right',
  parts: 'a part each',
  takes: 'takes of one part, left and right in turn',
  bed: 'the bed: the rough mix of everything else',
  left: 'a part of its left channel alone',
  nothing: 'leave it out',
} as const;
export type Answer = keyof typeof answers;

/** Recordings that belong together by their names, or one alone; with what they can become, the likeliest first. */
export interface Arrival {
  readonly recordings: readonly Recording[];
  readonly choices: readonly Answer[];
}

export function isReallyStereo({ channels, facts }: Recording): boolean {
  return channels === 2 && !(facts && isReallyMono(facts));
}

/** What names of takes differ by, at their ends: a number, a side, a letter, with or without “take” or “double” before it. */
const takeEnd =
  /[\s_.-]*(?:(?:take|tk|double|dbl)[\s_.-]*)?(?:\d{1,2}|left|right|(?<=[\s_.-])[lrab])$/i;

/** The same for files that are named alike: “harp take 1.wav” and “harp take 2.wav”; null where a name has no such end. */
export function alikeKey(fileName: string): string | null {
  const name = withoutEnding(fileName).trim();
  const key = name.replace(takeEnd, '').trim().toLowerCase();
  return key === '' || key === name.toLowerCase() ? null : key;
}

const withoutEnding = (fileName: string) => fileName.replace(/\.[^.]*$/, '');
export const nameOf = (fileName: string) => withoutEnding(fileName).slice(0, 80) || 'Part';

/**
 * Sorts what came together. One that is really stereo, beside others that are not, becomes the bed if there is none; files that are
 * named alike are takes of one part; another stereo file is two takes. Nothing of a file is left out unless that is said.
 *
 * @param beside how many came with them that are sure
 */
export function arrivals(
  song: Song,
  recordings: readonly Recording[],
  beside = 0,
): readonly Arrival[] {
  const stereo = recordings.filter(isReallyStereo);
  const others = recordings.length - 1 + beside;
  const bed = song.bed === null && stereo.length === 1 && others > 0 ? stereo[0] : null;
  const keyOf = (recording: Recording) =>
    isReallyStereo(recording) ? null : alikeKey(recording.fileName);
  const rows: Arrival[] = [];
  for (const recording of recordings) {
    const key = keyOf(recording);
    const group = key === null ? [recording] : recordings.filter((one) => keyOf(one) === key);
    if (group[0] !== recording) continue;
    if (group.length > 1) {
      const together: Answer[] = group.length <= mostTakes ? ['takes', 'parts'] : ['parts'];
      rows.push({ recordings: group, choices: [...together, 'nothing'] });
    } else if (!isReallyStereo(recording)) {
      rows.push({ recordings: group, choices: ['part'] });
    } else {
      const pair: Answer[] = ['pair', 'left'];
      const choices: Answer[] = song.bed === null ? ['bed'] : [];
      rows.push({
        recordings: group,
        choices: recording === bed ? ['bed'] : [...pair, ...choices, 'nothing'],
      });
    }
  }
  return rows;
}

/** What it is taken for, said as the guess that it is. */
function familyText(family: Family): string {
  return family === 'other'
    ? ''
    : ` Taken for ${familyNames[family]}, a guess: the mark in its row changes that.`;
}

const familyNames: Readonly<Record<Exclude<Family, 'other'>, string>> = {
  voice: 'a voice',
  plucked: 'something plucked',
  bowed: 'something bowed',
  keys: 'keys',
  low: 'something low',
  struck: 'something struck',
};

export interface Placed {
  readonly edits: readonly Edit[];
  readonly sentence: string;
}

/** Takes hard left and right in turn; of an odd number the last one in the middle. */
function inTurn(takes: number): Image {
  const voices = Array.from({ length: takes }, (_, n) => {
    const middle = takes % 2 === 1 && n === takes - 1;
    const panPercent = middle ? 0 : n % 2 === 0 ? -100 : 100;
    const side = middle ? 'middle' : panPercent < 0 ? 'left' : 'right';
    const name = n < 2 || middle ? side : `${side} ${Math.floor(n / 2) + 1}`;
    return newVoice(`v${n + 1}`, name, { take: n + 1, placement: { kind: 'pan', panPercent } });
  });
  return { voices, stage: neutralStage };
}

/** What an answer does to a song. @param newId gives ids of parts */
export function place(
  song: Song,
  { recordings }: Pick<Arrival, 'recordings'>,
  answer: Answer,
  newId: () => string,
): Placed {
  const [first] = recordings;
  const names = recordings.map(({ fileName }) => `“${fileName}”`).join(', ');
  if (answer === 'nothing') return { edits: [], sentence: `${names}: left out, as was said.` };
  const edits: Edit[] = [];
  if (song.rateHz === null) edits.push({ kind: 'set-rate', rateHz: first.rateHz });
  for (const recording of new Map(recordings.map((one) => [one.hash, one])).values())
    if (!song.recordings[recording.hash]) edits.push({ kind: 'put-recording', recording });
  const taken = familyText(guessFamily(first.fileName, first.facts));
  const what = `${factsSentence(first)}${originText(first)}${answer === 'bed' ? '' : taken}`;
  let index = song.partOrder.length;
  const add = (
    name: string,
    { fileName, facts }: Recording,
    takes: Parameters<typeof newPart>[3],
    changes: { readonly image?: Image } = {},
  ) => {
    const part = newPart(newId(), name, guessFamily(fileName, facts), takes, changes);
    edits.push({ kind: 'add-part', part, index: index++ });
  };
  const channel = (recording: Recording, n: 0 | 1, name?: string) => ({
    recording: recording.hash,
    channel: n,
    ...(name ? { name } : {}),
  });
  switch (answer) {
    case 'bed':
      edits.push({ kind: 'set-bed', bed: { recording: first.hash, levelDb: 0 } });
      return { edits, sentence: `${names} is the bed. ${what}` };
    case 'pair':
      add(nameOf(first.fileName), first, [channel(first, 0, 'left'), channel(first, 1, 'right')], {
        image: inTurn(2),
      });
      return {
        edits,
        sentence: `${names}: Its two channels became two takes of one part, hard left and right. ${what}`,
      };
    case 'takes': {
      const takes = recordings.map((one) => channel(one, 0, nameOf(one.fileName)));
      const name = first.fileName.slice(0, alikeKey(first.fileName)?.length ?? undefined);
      add(nameOf(name), first, takes, { image: inTurn(takes.length) });
      return {
        edits,
        sentence: `${names}: They became ${takes.length} takes of one part, left and right in turn. ${what}`,
      };
    }
    case 'parts':
    case 'part':
    case 'left': {
      for (const one of recordings) add(nameOf(one.fileName), one, [channel(one, 0)]);
      const became =
        answer === 'left'
          ? 'Its left channel alone became a part; the right one is left out'
          : recordings.length > 1
            ? 'Each became a part'
            : first.channels === 2
              ? 'Its left channel became a part'
              : 'It became a part';
      return { edits, sentence: `${names}: ${became}. ${what}` };
    }
  }
}
