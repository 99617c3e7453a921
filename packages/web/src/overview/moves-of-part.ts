import { heardHz } from '@pannet/core/parameters/tables';
import { movable } from '@pannet/core/song/movable';
import { moveOf, partTarget, voiceTarget, type MoveTarget } from '@pannet/core/song/moves-of';
import type { Voice } from '@pannet/core/voices/voice';
import { settingOfPart } from '@pannet/core/song/settings';
import type { Move, Part, Song } from '@pannet/core/song/song';

const voiceOf = ({ image }: Part, { kind, of }: MoveTarget) =>
  kind === 'voice' ? image.voices.find(({ id }) => id === of) : undefined;

/** What may move of a part and of its voices: a place only of those that have one between the sides, a drive of those with a chain. */
export function targetsOfPart({ id, image }: Part): { name: string; targets: MoveTarget[] }[] {
  const ofVoice = ({ id: voiceId, placement, amp }: Voice) =>
    movable.voice
      .filter((parameter) => placement.kind === 'pan' || parameter !== 'panPercent')
      .filter((parameter) => amp || parameter !== 'driveDb')
      .map((parameter) => voiceTarget(id, voiceId, parameter));
  return [
    { name: '', targets: movable.part.map((parameter) => partTarget(id, parameter)) },
    ...image.voices.map((voice) => ({
      name: voice.name,
      targets: ofVoice(voice),
    })),
  ];
}

const ofPart = (kind: MoveTarget['kind']) => kind === 'part' || kind === 'voice';

/** What moves of a part, in the order of what may. */
export function movesOfPart({ moves }: Song, part: Part): readonly Move[] {
  const own = moves.filter(({ target: { kind, id } }) => id === part.id && ofPart(kind));
  if (own.length === 0) return [];
  return targetsOfPart(part).flatMap(({ targets }) =>
    targets.flatMap((target) => moveOf({ moves: own }, target) ?? []),
  );
}

/** What moves of a part but waits, since what it moves is not there: its voice is gone, or has no place between the sides, or no chain. */
export function waitingMoves({ moves }: Pick<Song, 'moves'>, part: Part): readonly Move[] {
  const own = moves.filter(({ target: { kind, id } }) => id === part.id && kind === 'voice');
  // Asked of every part with each step of any drag.
  if (own.length === 0) return own;
  const there = targetsOfPart(part).flatMap(({ targets }) => targets);
  return own.filter(
    ({ target: { of, parameter } }) =>
      !there.some((target) => target.of === of && target.parameter === parameter),
  );
}

/** Why a move of a part waits. */
export function waitsFor(part: Part, target: MoveTarget): string {
  const voice = voiceOf(part, target);
  if (!voice) return 'its voice is gone';
  return `${voice.name} ${target.parameter === 'driveDb' ? 'has no chain' : 'has no place between the sides'}`;
}

/** Whose setting moves. */
export function movedName(part: Part, target: MoveTarget): string {
  const voice = voiceOf(part, target);
  return voice ? `${part.name}, ${voice.name}` : part.name;
}

/** What is set of what moves, where that is part of what is drawn; a corner in Hz. */
export function movedBase(part: Part, target: MoveTarget, rateHz: number): number {
  if (target.parameter === 'imagePercent') return 100;
  const set = settingOfPart(part, target, rateHz);
  if (target.parameter === 'highCutOctaves') return set === null ? heardHz.max : 2 ** set;
  return set ?? 0;
}
