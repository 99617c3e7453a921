import * as z from 'zod';
import { curveDescription } from '../moves/curve.ts';
import { choice, flag, id, text, thing, value, type Described } from '../parameters/description.ts';
import { groupStageDescription } from '../image/group-stage.ts';
import { preparationDescription } from '../takes/preparation.ts';
import { draftNumber } from './draft-number.ts';
import { groupParameters, movingParameters, type MovingParameter } from '../parameters/tables.ts';

/** A kept state of a group: what is done to all of it. */
const groupDraftDescription = thing({
  preparation: preparationDescription,
  stage: groupStageDescription,
  levelDb: value(groupParameters.levelDb),
});
export type GroupDraft = Described<typeof groupDraftDescription>;

/** Several parts, and other groups, processed as one. A part is in at most one group, and so is a group. */
export const groupDescription = thing({
  id: id('a group'),
  name: text("A group's name", 80),
  partIds: z.array(id('a part')).max(64),
  /** The group that it is in; null for none. */
  parentId: id('a group').nullable().default(null),
  /** What is done to all of it, before its level. */
  preparation: preparationDescription,
  stage: groupStageDescription,
  levelDb: value(groupParameters.levelDb),
  muted: flag('Muted').default(false),
  /** Kept states of it, under the number keys 1 to 9. */
  drafts: z.record(draftNumber, groupDraftDescription).default({}),
  /** The draft that it was last kept as or recalled from. */
  draft: draftNumber.nullable().default(null),
});
export type Group = Described<typeof groupDescription>;

/** A group as it begins. */
export function groupOfParts(
  id: string,
  name: string,
  partIds: readonly string[],
  changes: Partial<Group> = {},
): Group {
  return { ...(groupDescription.parse({ id, name, partIds: [...partIds] }) as Group), ...changes };
}

/** The groups that a group lies in, from within; where they go round in a circle, each of them once. */
export function groupsAround(
  { groups }: { readonly groups: readonly Group[] },
  { parentId }: Group,
): Group[] {
  const around: Group[] = [];
  let next = parentId;
  for (;;) {
    const group = groups.find(({ id }) => id === next);
    if (!group || around.includes(group)) return around;
    around.push(group);
    next = group.parentId;
  }
}

const movingParameter = choice(
  Object.keys(movingParameters) as [MovingParameter, ...MovingParameter[]],
);

/** Something that changes along the song: what a table says may move. */
export const moveDescription = thing({
  id: id('a move'),
  target: thing({
    kind: choice(['part', 'group', 'voice', 'room', 'feed']),
    /** Of the part, the group or the room; of a voice that of its part, of a feed that of its room. */
    id: id('what moves'),
    /** Of the voice, or of the part that feeds the room; null for anything else. */
    of: id('what moves in it').nullable().default(null),
    parameter: movingParameter,
  }),
  curve: curveDescription,
});
export type Move = Described<typeof moveDescription>;

/** A move of an image, whichever part that belongs to: of one of its voices, or of all of it. */
const imageMoveDescription = thing({
  /** The voice that moves; null for the image. */
  of: id('a voice that moves').nullable().default(null),
  parameter: movingParameter,
  curve: curveDescription,
});
export type ImageMove = Described<typeof imageMoveDescription>;
export const imageMovesDescription = z.array(imageMoveDescription).max(100);

export const mostGroups = 32;
export const mostMoves = 500;
