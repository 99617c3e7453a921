import { heardHz, type MovingParameter } from '../parameters/tables.ts';
import { delayInMs, type Voice } from '../voices/voice.ts';
import { movable } from './movable.ts';
import { feedTarget, levelTarget, partTarget, voiceTarget, type MoveTarget } from './moves-of.ts';
import { rateOf, type Part, type Song } from './song.ts';

/** What each setting that moves is called, in the middle of a sentence. */
export const movingWords: Readonly<Record<MovingParameter, string>> = {
  levelDb: 'level',
  flanksDb: 'flanks',
  panPercent: 'place',
  widthPercent: 'width',
  imagePercent: 'image against plain',
  highCutOctaves: 'high cut',
  delayMs: 'delay',
  peakDb: 'peak',
  driveDb: 'drive',
};

const { log2 } = Math;

/** What of a voice is set that may move, in the unit in which a move adds to it; null where there is nothing of the kind. */
function settingOfVoice(voice: Voice, parameter: MovingParameter, rateHz: number): number | null {
  const { levelDb, placement, delay, tone, amp } = voice;
  switch (parameter) {
    case 'levelDb':
      return levelDb;
    case 'panPercent':
      return placement.kind === 'pan' ? placement.panPercent : null;
    case 'delayMs':
      return delayInMs(delay, rateHz);
    case 'highCutOctaves':
      return log2(tone.highCutHz ?? heardHz.max);
    case 'driveDb':
      return amp?.driveDb ?? null;
    default:
      return null;
  }
}

/** The same of a part, or of a voice of it. */
export function settingOfPart(
  { levelDb, image }: Part,
  { kind, of, parameter }: MoveTarget,
  rateHz: number,
): number | null {
  if (kind === 'voice') {
    const voice = image.voices.find(({ id }) => id === of);
    return voice ? settingOfVoice(voice, parameter, rateHz) : null;
  }
  switch (parameter) {
    case 'levelDb':
      return levelDb;
    case 'flanksDb':
      return image.stage.flanksDb;
    case 'widthPercent':
      return image.stage.widthPercent;
    default:
      return null;
  }
}

export interface ChangedSetting {
  readonly target: MoveTarget;
  /** By how much, in the unit of what moves. */
  readonly by: number;
}

/**
 * Which settings that may move differ between two states of a song, of what is in both; what is only there in one, or is another kind of thing, is no setting
 * that was moved.
 */
export function changedSettings(before: Song, after: Song): ChangedSetting[] {
  const rateHz = rateOf(before);
  const changed: ChangedSetting[] = [];
  const compare = (target: MoveTarget, was: number | null, is: number | null) => {
    if (was !== null && is !== null && was !== is) changed.push({ target, by: is - was });
  };
  for (const part of Object.values(before.parts)) {
    const next = after.parts[part.id] as Part | undefined;
    if (!next || next === part) continue;
    const targets = [
      ...movable.part.map((parameter) => partTarget(part.id, parameter)),
      ...part.image.voices.flatMap(({ id }) =>
        movable.voice.map((parameter) => voiceTarget(part.id, id, parameter)),
      ),
    ];
    for (const target of targets)
      compare(target, settingOfPart(part, target, rateHz), settingOfPart(next, target, rateHz));
  }
  for (const { id, levelDb } of before.groups) {
    const next = after.groups.find((group) => group.id === id);
    if (next) compare(levelTarget('group', id), levelDb, next.levelDb);
  }
  for (const room of before.rooms) {
    const next = after.rooms.find(({ id }) => id === room.id);
    if (!next || next === room) continue;
    compare(levelTarget('room', room.id), room.levelDb, next.levelDb);
    // What a part feeds it by is ridden together.
    for (const [n, { partId, levelDb }] of room.feeds.entries())
      if (next.feeds.at(n)?.partId === partId)
        compare(feedTarget(room.id, partId), levelDb, next.feeds[n].levelDb);
    for (const [n, { roomId, levelDb }] of room.fromRooms.entries())
      if (next.fromRooms.at(n)?.roomId === roomId)
        compare(feedTarget(room.id, roomId), levelDb, next.fromRooms[n].levelDb);
  }
  return changed;
}

/** Whose setting moves: “Harp, left double”. */
export function settingName({ parts, groups, rooms }: Song, { kind, id, of }: MoveTarget): string {
  const nameOf = (known: string | null) =>
    (known !== null && Object.hasOwn(parts, known) ? parts[known].name : null) ??
    [...groups, ...rooms].find((one) => one.id === known)?.name ??
    '';
  if (kind === 'voice')
    return `${nameOf(id)}, ${parts[id].image.voices.find((voice) => voice.id === of)?.name ?? ''}`;
  return kind === 'feed' ? `${nameOf(of)} into ${nameOf(id)}` : nameOf(id);
}
