import { curveDescription, type Curve, type Cycle } from '../moves/curve.ts';
import { moveOf, partTarget, type MoveTarget } from '../song/moves-of.ts';
import type { Move, Part, Song } from '../song/song.ts';

/** What is set to move otherwise. */
export interface MovedOtherwise {
  readonly target: MoveTarget;
  readonly curve: Curve;
}

export interface MotionMend {
  readonly moves: readonly MovedOtherwise[];
  /** What it changes. */
  readonly words: string;
}

/** So far apart two that go against each other are brought, in % of a cycle: the fold keeps some of what they do. */
const phasesApart = [25, 12, 0] as const;
/** So much the level of all of it goes along, in dB: no more than is needed. */
const alongDb = [2, 3, 4, 5, 6, 8, 10, 12, 16, 20, 25, 30] as const;

const { round } = Math;

type Cyclic = Move & { readonly curve: Cycle };

/** Ways in which what goes to and fro in a part is heard in the fold, too, milder ones first; which of them does it is measured. */
export function motionMends(song: Song, part: Part): readonly MotionMend[] {
  const cyclic = song.moves.filter(
    (move): move is Cyclic =>
      move.curve.kind === 'cycle' &&
      move.target.id === part.id &&
      (move.target.kind === 'part' || move.target.kind === 'voice'),
  );
  return [...nearerPhases(part, cyclic), ...levelsAlong(song, part, cyclic)];
}

/** Levels of voices that go against each other at one rate, brought nearer to the first of them. */
function nearerPhases({ image }: Part, cyclic: readonly Cyclic[]): MotionMend[] {
  const levels = cyclic.filter(({ target }) => target.kind === 'voice' && isLevel(target));
  const [first] = levels;
  const others = levels.filter(
    ({ curve }) => sameRate(curve, first.curve) && curve.phasePercent !== first.curve.phasePercent,
  );
  if (others.length === 0) return [];
  return phasesApart.map((apart) => ({
    moves: others.map(({ target, curve }) => ({
      target,
      curve: { ...curve, phasePercent: (first.curve.phasePercent + apart) % 100 },
    })),
    words: others
      .map(({ target, curve }) => {
        const name = image.voices.find(({ id }) => id === target.of)?.name ?? 'a voice';
        const to = (first.curve.phasePercent + apart) % 100;
        return `${name}: phase of its level ${round(curve.phasePercent)} → ${round(to)} %`;
      })
      .join(', '),
  }));
}

/** The level of all of the part goes along with what is deepest in it; not where it moves already. */
function levelsAlong(song: Song, part: Part, cyclic: readonly Cyclic[]): MotionMend[] {
  const target = partTarget(part.id, 'levelDb');
  const known = moveOf(song, target);
  const leads = cyclic.find((move) => move.target !== known?.target);
  if (!leads || (known && !(known.curve.kind === 'cycle' && sameRate(known.curve, leads.curve))))
    return [];
  const { rate, phasePercent, shape } = leads.curve;
  const before = known?.curve.kind === 'cycle' ? known.curve.depthDb : 0;
  return alongDb
    .filter((depthDb) => depthDb > before)
    .map((depthDb) => ({
      moves: [
        {
          target,
          curve: curveDescription.parse({ kind: 'cycle', rate, depthDb, phasePercent, shape }),
        },
      ],
      words: `its level goes along by ${depthDb} dB`,
    }));
}

const isLevel = ({ parameter }: MoveTarget) => parameter === 'levelDb';

function sameRate(a: Cycle, b: Cycle): boolean {
  return a.rate.value === b.rate.value && a.rate.unit === b.rate.unit;
}

/** A song with some things moved otherwise. */
export function withMotion(song: Song, changes: readonly MovedOtherwise[]): Song {
  let { moves } = song;
  for (const { target, curve } of changes) {
    const known = moveOf({ moves }, target);
    moves = known
      ? moves.map((move) => (move === known ? { ...move, curve } : move))
      : [...moves, { id: `mend/${target.id}/${target.parameter}`, target, curve }];
  }
  return { ...song, moves };
}
