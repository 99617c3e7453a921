import type { PcmSource } from '../sources/blocks.ts';
import type { PanLaw } from '../voices/pan-law.ts';
import type { Cut } from './kinds/filter.ts';
import type { PlanNode } from './kinds/kinds.ts';
import { isLowStrand, roots, type PartPlan, type StrandPlan } from './plan.ts';
import { sameValue, type MovingValue, type Value } from './value.ts';

/** What moves of a part along the song. */
export interface PartMoves {
  /** Factors of its level, and of its flanks against the middle. */
  readonly level: Value;
  readonly flanks: Value;
  /** In the place of the stage's; null where it stands. */
  readonly width: MovingValue | null;
  /** Gains of the image and of plain, where one goes over to the other; null where the image is all. */
  readonly image: MovingValue | null;
  readonly plain: MovingValue | null;
  /** Of the voices that move. */
  readonly voices: readonly VoiceMoves[];
  /** What is read in the place of the image; null where that is worked out. */
  readonly frozen: FrozenAs | null;
}

/** What was rendered ahead, and what that is to be scaled by. */
export interface FrozenAs {
  readonly left: PcmSource;
  readonly right: PcmSource;
  readonly gain: number;
}

export interface VoiceMoves {
  readonly id: string;
  readonly level: Value;
  readonly place: MovingValue | null;
  /** Its high cut, where that moves; null where it stands. */
  readonly cut: Cut | null;
}

export const still: PartMoves = {
  level: 1,
  flanks: 1,
  width: null,
  image: null,
  plain: null,
  voices: [],
  frozen: null,
};

/** Nodes of plans of parts: a part that is what it was has the same ones. */
const nodesOfParts = new WeakMap<
  PartPlan,
  { readonly moves: PartMoves; readonly law: PanLaw; readonly nodes: PlanNode[] }
>();

export function partNodes(part: PartPlan, moves: PartMoves, law: PanLaw): readonly PlanNode[] {
  const known = nodesOfParts.get(part);
  if (known?.law === law && sameMoves(known.moves, moves)) return known.nodes;
  const nodes = newPartNodes(part, moves, law);
  nodesOfParts.set(part, { moves, law, nodes });
  return nodes;
}

function sameMoves(a: PartMoves, b: PartMoves): boolean {
  const same = (one: Value | null, other: Value | null) =>
    one === other || (one !== null && other !== null && sameValue(one, other));
  return (
    same(a.level, b.level) &&
    same(a.flanks, b.flanks) &&
    same(a.width, b.width) &&
    same(a.image, b.image) &&
    a.frozen?.left.key === b.frozen?.left.key &&
    a.frozen?.gain === b.frozen?.gain &&
    a.voices.length === b.voices.length &&
    a.voices.every(
      ({ id, level, place, cut }, n) =>
        id === b.voices[n].id &&
        same(level, b.voices[n].level) &&
        same(place, b.voices[n].place) &&
        same(cut?.hz ?? null, b.voices[n].cut?.hz ?? null) &&
        same(cut?.q ?? null, b.voices[n].cut?.q ?? null),
    )
  );
}

/** One part: its readings, each voice of them, their sum, the stage, what moves it; and plain. */
function newPartNodes(part: PartPlan, moves: PartMoves, law: PanLaw): PlanNode[] {
  const { id, strands, stage, plain } = part;
  const read = strands.map((strand) => readingNodes(part, strand, moves, law));
  const given = read.map((nodes) => nodes[nodes.length - 1].id);
  const voices = [...new Set(strands.map(({ voiceId }) => voiceId))].map((voiceId): PlanNode => ({
    kind: 'sum',
    id: roots.voice(id, voiceId),
    inputs: given.filter((_, n) => strands[n].voiceId === voiceId),
  }));
  const take = `part/${id}/take`;
  return [
    ...read.flat(),
    ...voices,
    ...voicesTogether(part, given, moves.flanks),
    {
      kind: 'matrix',
      id: roots.stage(id),
      inputs: [`part/${id}/voices`],
      stage,
      width: moves.width,
    },
    ...(moves.frozen ? frozenNodes(frozenRoot(id), moves.frozen, 1) : []),
    { kind: 'reading', id: take, inputs: [], strand: plain.strand },
    { kind: 'gain', id: roots.plain(id), inputs: [take], gain: plain.level },
    ...imageOrPlain(part, moves),
  ];
}

/** What a part gives before its level moves: its image, or that and plain, of which one goes over to the other. */
export function imageRoots(partId: string, { image, frozen }: PartMoves): string[] {
  if (image) return [`part/${partId}/opened`, `part/${partId}/shut`];
  return [frozen ? frozenRoot(partId) : roots.stage(partId)];
}

const frozenRoot = (partId: string) => `part/${partId}/frozen`;

/** What was rendered ahead, read side by side. @param moves what goes on to move it */
export function frozenNodes(id: string, { left, right, gain }: FrozenAs, moves: Value): PlanNode[] {
  const side = (name: 'left' | 'right', source: PcmSource): PlanNode => ({
    kind: 'reading',
    id: `${id}/frozen/${name}`,
    inputs: [],
    strand: {
      ...{ id: name, voiceId: 'frozen', source, takeKey: source.key, delayFrames: 0 },
      ...{ tuning: null, awaits: null, drift: null, placed: null },
      left: name === 'left' ? gain : 0,
      right: name === 'right' ? gain : 0,
    },
  });
  const sides = [side('left', left), side('right', right)];
  return [...sides, { kind: 'gain', id, inputs: sides.map((node) => node.id), gain: moves }];
}

/** The part as it is exported: its image, or plain in its place for as long as a move says so. */
function imageOrPlain({ id }: PartPlan, moves: PartMoves): PlanNode[] {
  const { image, plain, level } = moves;
  const inputs = imageRoots(id, moves);
  const own: PlanNode = { kind: 'gain', id: roots.part(id), inputs, gain: level };
  if (!image || !plain) return [own];
  return [
    { kind: 'gain', id: inputs[0], inputs: imageRoots(id, { ...moves, image: null }), gain: image },
    { kind: 'gain', id: inputs[1], inputs: [roots.plain(id)], gain: plain },
    own,
  ];
}

/** One reading, and what moves of its voice; the last one gives all of it. */
function readingNodes(
  { id: partId }: PartPlan,
  strand: StrandPlan,
  { voices }: PartMoves,
  law: PanLaw,
): PlanNode[] {
  const id = `part/${partId}/strand/${strand.id}`;
  // The low end of all voices stands in the middle, and stays.
  const moves = isLowStrand(strand) ? undefined : voices.find((one) => one.id === strand.voiceId);
  const nodes: PlanNode[] = [];
  if (moves?.place && strand.placed) {
    const { gain, as } = strand.placed;
    nodes.push(
      {
        kind: 'reading',
        id: `${id}/unplaced`,
        inputs: [],
        strand: { ...strand, left: gain, right: gain },
      },
      {
        kind: 'placed',
        id: `${id}/placed`,
        inputs: [`${id}/unplaced`],
        place: moves.place,
        law,
        as,
      },
    );
  } else nodes.push({ kind: 'reading', id, inputs: [], strand });
  const last = () => [nodes[nodes.length - 1].id];
  if (moves?.cut) nodes.push({ kind: 'filter', id: `${id}/cut`, inputs: last(), cut: moves.cut });
  if (moves && typeof moves.level !== 'number')
    nodes.push({
      kind: 'gain',
      id: `${id}/moved`,
      inputs: last(),
      gain: moves.level,
    });
  return nodes;
}

/** The flanks of a part where they move: all readings of them, at what they move to. */
export const movedFlanks = (partId: string) => `part/${partId}/flanks`;

/** @param given what each strand gives, by its node */
function voicesTogether(
  { id, strands, flanks }: PartPlan,
  given: readonly string[],
  moves: Value,
): PlanNode[] {
  const together = `part/${id}/voices`;
  // Not of the voices but of all their readings: the order in which they are added is that of the strands.
  if (typeof moves === 'number') return [{ kind: 'sum', id: together, inputs: given }];
  // The low end of all voices stands in the middle, and stays.
  const isFlank = strands.map(
    (strand) => flanks.voiceIds.includes(strand.voiceId) && !isLowStrand(strand),
  );
  const chosen = (flank: boolean) => given.filter((_, n) => isFlank[n] === flank);
  return [
    { kind: 'gain', id: movedFlanks(id), inputs: chosen(true), gain: moves },
    { kind: 'sum', id: together, inputs: [...chosen(false), movedFlanks(id)] },
  ];
}
