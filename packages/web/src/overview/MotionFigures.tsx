import type { Motion } from '@pannet/core/findings/motion';
import { figure } from '@pannet/core/quantities/wording';
import type { MoveTarget } from '@pannet/core/song/moves-of';
import { useAnalyst } from '../session/use-open-song.ts';

const width = 72;
const height = 18;
/** So much at least from top to bottom, in dB. */
const leastDb = 6;

const lines = [
  ['left', 'var(--left)', 1],
  ['right', 'var(--right)', 1],
  ['fold', 'var(--ink)', 1.8],
] as const;

/** What a motion does over its cycle, as it was measured: to each side and to the fold, drawn, and how deep the deepest side and the fold go. */
export function MotionFigures({ target: { kind, id } }: { readonly target: MoveTarget }) {
  const motion = useAnalyst(({ parts }) => {
    if ((kind !== 'part' && kind !== 'voice') || !Object.hasOwn(parts, id)) return null;
    return parts[id].current ? parts[id].measured.motion : null;
  });
  if (!motion) return null;
  const { sidesDb, foldDb } = motion;
  return (
    <span
      className="motion-figures"
      title="How far it goes up and down over its cycle, as it was measured: L and R thin, the fold thick; the side that moves more, and the fold"
    >
      <CycleDrawing motion={motion} />
      {`side ${figure(sidesDb, 1)} dB, fold ${figure(foldDb, 1)} dB`}
    </span>
  );
}

function CycleDrawing({ motion: { overCycle } }: { readonly motion: Motion }) {
  const all = lines.flatMap(([side]) => overCycle[side].filter((level) => level !== null));
  if (all.length === 0) return null;
  const top = Math.max(...all);
  const seen = Math.max(leastDb, top - Math.min(...all));
  const points = (levels: readonly (number | null)[]) =>
    levels
      .flatMap((level, n) =>
        level === null
          ? []
          : [
              `${(((n + 0.5) / levels.length) * width).toFixed(1)},${(1 + ((top - level) / seen) * (height - 2)).toFixed(1)}`,
            ],
      )
      .join(' ');
  return (
    <svg width={width} height={height} role="img" aria-label="Level of L, R and fold over a cycle">
      {lines.map(([side, stroke, strokeWidth]) => (
        <polyline
          key={side}
          points={points(overCycle[side])}
          fill="none"
          stroke={stroke}
          strokeWidth={strokeWidth}
        />
      ))}
    </svg>
  );
}
