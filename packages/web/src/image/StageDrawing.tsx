import { clampParameter } from '@pannet/core/parameters/parameter';
import type { Stage } from '@pannet/core/image/stage';
import { lowMonoParameters, stageParameters } from '@pannet/core/parameters/tables';
import type { Junction } from '@pannet/core/rendering/junction';
import type { Part } from '@pannet/core/song/song';
import { lowShare, tiltAtDb } from '@pannet/core/voices/response';
import type { ReactNode } from 'react';
import { useGesture } from '../controls/use-gesture.ts';
import { useStageEdits } from './StagePanel.tsx';

const width = 172;
const height = 108;
const left = 18;
const right = width - 4;
const middle = 44;
/** Half the height of the difference at 100 %. */
const full = 17;
const lowest = 20;
const octaves = Math.log2(20_000 / lowest);
const xOf = (hz: number) => left + (Math.log2(hz / lowest) / octaves) * (right - left);
const hzOf = (x: number) => lowest * 2 ** (((x - left) / (right - left)) * octaves);
const shown = [50, 200, 1000, 5000];
/** Under the drawing, where the halves of the low end meet: this many dB down at its foot. */
const junctionTop = 88;
const junctionDb = 6;

interface Props {
  readonly part: Part;
  /** Where the low end is kept by the anchor: how it meets what lies above. */
  readonly meets: Junction | null;
}

/**
 * Difference against middle over frequency: the height of the lens is the width, its foot the low end that is kept in the
 * middle, its slope the tilt. All three are dragged: the lens up and down, its foot along, its right end up and down.
 */
export function StageDrawing({ part, meets }: Props) {
  const { stage } = part.image;
  const { preview, commit, cancel } = useStageEdits(part);
  const half = (hz: number) => {
    const { hz: corner } = stage.lowMono;
    const kept = corner === null ? 1 : 1 - lowShare(hz, corner);
    const tilt = 10 ** (tiltAtDb(hz, stage.tiltDb) / 20);
    return Math.min(middle - 4, (stage.widthPercent / 100) * kept * tilt * full);
  };
  const upper: string[] = [];
  const lower: string[] = [];
  for (let x = left; x <= right; x += 2) {
    const h = half(hzOf(x));
    upper.push(`${x} ${(middle - h).toFixed(1)}`);
    lower.unshift(`${x} ${(middle + h).toFixed(1)}`);
  }
  const widthAt = (from: number, _: number, up: number): Partial<Stage> => ({
    widthPercent: clampParameter(stageParameters.widthPercent, Math.round(from + up * 2)),
  });
  const tiltAt = (from: number, _: number, up: number): Partial<Stage> => ({
    tiltDb: clampParameter(stageParameters.tiltDb, Math.round(from + up) / 2),
  });
  const cornerAt = (from: number, along: number): Partial<Stage> => {
    const hz = hzOf(xOf(from) + along);
    const { min, max } = lowMonoParameters.hz;
    return {
      lowMono: { ...stage.lowMono, hz: hz < min ? null : Math.round(Math.min(hz, max)) },
    };
  };
  const drag = { onPreview: preview, onCommit: commit, onCancel: cancel };
  const corner = xOf(stage.lowMono.hz ?? lowest);
  const yOfDb = (db: number) =>
    junctionTop + (Math.min(junctionDb, -db) / junctionDb) * (height - junctionTop - 2);
  const line = (side: 'left' | 'right') =>
    meets?.points
      .map((point) => `${xOf(point.hz).toFixed(1)} ${yOfDb(point[side]).toFixed(1)}`)
      .join('L');
  const says = [
    `Difference at ${stage.widthPercent} % of the middle`,
    stage.lowMono.hz === null ? '' : `low end in the middle below ${stage.lowMono.hz} Hz`,
    stage.tiltDb === 0 ? '' : `tilted by ${stage.tiltDb} dB`,
  ];
  return (
    <svg
      viewBox={`0 0 ${width} ${height}`}
      width="100%"
      role="group"
      aria-label={says.filter(Boolean).join(', ')}
      className="stage-drawing mb-1"
      data-testid="stage-drawing"
    >
      <path
        d={`M${left} ${middle - full}H${right}M${left} ${middle + full}H${right}`}
        stroke="var(--rule)"
        strokeDasharray="3 3"
      />
      <Handle
        label="Width in the drawing"
        text={`${stage.widthPercent} %`}
        value={stage.widthPercent}
        cursor="ns-resize"
        at={widthAt}
        {...drag}
      >
        <path
          d={`M${upper.join('L')}L${lower.join('L')}Z`}
          fill="var(--rule)"
          stroke="var(--quiet)"
        />
      </Handle>
      <path d={`M${left} ${middle}H${right}`} stroke="var(--ink)" strokeWidth={1.5} />
      <text x={2} y={middle - full + 4} fontSize={11} fill="var(--quiet)">
        S
      </text>
      <text x={2} y={middle + 4} fontSize={11} fill="var(--ink)">
        M
      </text>
      <Handle
        label="Low end in the drawing"
        text={stage.lowMono.hz === null ? 'off' : `${stage.lowMono.hz} Hz`}
        value={stage.lowMono.hz ?? lowMonoParameters.hz.min}
        cursor="ew-resize"
        at={cornerAt}
        {...drag}
      >
        <rect x={corner - 5} y={2} width={10} height={2 * middle - 4} fill="transparent" />
        <path d={`M${corner} 6V${2 * middle - 6}`} stroke="var(--ink)" strokeDasharray="2 2" />
        <circle cx={corner} cy={2 * middle - 6} r={4} fill="var(--sheet)" stroke="var(--ink)" />
      </Handle>
      <Handle
        label="Tilt in the drawing"
        text={`${stage.tiltDb} dB`}
        value={stage.tiltDb * 2}
        cursor="ns-resize"
        at={tiltAt}
        {...drag}
      >
        <rect x={right - 10} y={2} width={14} height={2 * middle - 4} fill="transparent" />
        <circle
          cx={right - 4}
          cy={middle - half(15_000)}
          r={4}
          fill="var(--sheet)"
          stroke="var(--ink)"
        />
      </Handle>
      {meets ? (
        <g fill="none" strokeWidth={1.5}>
          <path d={`M${left} ${junctionTop}H${right}`} stroke="var(--rule)" strokeWidth={1} />
          <path d={`M${line('left')}`} stroke="var(--left)" />
          <path d={`M${line('right')}`} stroke="var(--right)" strokeDasharray="4 2" />
        </g>
      ) : (
        shown.map((hz) => (
          <text
            key={hz}
            x={xOf(hz)}
            y={height - 6}
            fontSize={11}
            textAnchor="middle"
            fill="var(--quiet)"
            className="mono"
          >
            {hz < 1000 ? hz : `${hz / 1000}k`}
          </text>
        ))
      )}
    </svg>
  );
}

interface HandleProps {
  readonly label: string;
  /** The value as it reads. */
  readonly text: string;
  readonly value: number;
  readonly cursor: 'ns-resize' | 'ew-resize';
  /** What the stage becomes when the handle is so far along and up from where it was, in units of the drawing. */
  readonly at: (from: number, along: number, up: number) => Partial<Stage>;
  readonly onPreview: (changes: Partial<Stage>) => void;
  readonly onCommit: (changes: Partial<Stage>) => void;
  readonly onCancel: () => void;
  readonly children: ReactNode;
}

/** A piece of the drawing that is dragged, or stepped by arrow keys (Shift: ten steps) and wheel: one drag is one undo. */
function Handle(props: HandleProps) {
  const { label, text, value, cursor, at, onPreview, onCommit, onCancel, children } = props;
  const { handlers } = useGesture<
    { readonly x: number; readonly y: number; readonly from: number; last: Partial<Stage> | null },
    SVGGElement
  >({
    begin: (event) => ({ x: event.clientX, y: event.clientY, from: value, last: null }),
    move: (held, event) => {
      const box = event.currentTarget.ownerSVGElement?.getBoundingClientRect();
      const scale = width / (box?.width || width);
      held.last = at(held.from, (event.clientX - held.x) * scale, (held.y - event.clientY) * scale);
      onPreview(held.last);
    },
    end: ({ last }) => {
      if (last) onCommit(last);
    },
    cancel: onCancel,
  });
  const step = (steps: number) =>
    onCommit(cursor === 'ns-resize' ? at(value, 0, steps) : at(value, steps, 0));
  return (
    <g
      role="slider"
      tabIndex={0}
      aria-label={label}
      aria-valuenow={value}
      aria-valuetext={text}
      style={{ cursor }}
      onKeyDown={(event) => {
        const direction = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1 }[event.key];
        if (direction === undefined) return;
        event.preventDefault();
        step(direction * (event.shiftKey ? 10 : 1));
      }}
      onWheel={(event) => step(event.deltaY < 0 ? 1 : -1)}
      {...handlers}
    >
      {children}
    </g>
  );
}
