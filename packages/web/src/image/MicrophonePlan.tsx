import { cabinets } from '@pannet/core/amps/cabinet';
import type { BuiltCabinet } from '@pannet/core/amps/amp';
import { microphoneParameters } from '@pannet/core/parameters/tables';
import { clampParameter } from '@pannet/core/parameters/parameter';
import { figure } from '@pannet/core/quantities/wording';
import type { KeyboardEvent } from 'react';
import { useGesture } from '../controls/use-gesture.ts';

interface Props {
  readonly label: string;
  readonly cabinet: BuiltCabinet;
  readonly onPreview: (cabinet: BuiltCabinet) => void;
  readonly onCommit: (cabinet: BuiltCabinet) => void;
  readonly onCancel: () => void;
}

const width = 150;
const height = 66;
/** Where the cone begins, and how far the microphone goes. */
const coneX = 22;
const farX = width - 12;
const middleY = height / 2;
/** From the middle of the cone to its edge. */
const coneY = 26;
const { acrossPercent: acrossRow, distanceCm: distanceRow } = microphoneParameters;

/** Near is drawn larger than far: what changes most stands there. */
const xOf = (cm: number) => coneX + 8 + (farX - coneX - 8) * Math.sqrt(cm / distanceRow.max);
const cmOf = (x: number) =>
  distanceRow.max * Math.max(0, (x - coneX - 8) / (farX - coneX - 8)) ** 2;
const yOf = (percent: number) => middleY - (coneY * percent) / 100;

/** A cone from the side and the microphone before it: dragged, or moved by the arrow keys. */
export function MicrophonePlan({ label, cabinet, onPreview, onCommit, onCancel }: Props) {
  const { acrossPercent, distanceCm } = cabinet;
  const placed = (across: number, cm: number): BuiltCabinet => ({
    ...cabinet,
    acrossPercent: Math.round(clampParameter(acrossRow, across)),
    distanceCm: Math.round(clampParameter(distanceRow, cm)),
  });
  const at = ({ left, top }: DOMRect, { clientX, clientY }: { clientX: number; clientY: number }) =>
    placed((100 * Math.abs(middleY - (clientY - top))) / coneY, cmOf(clientX - left));
  const { handlers, cancel } = useGesture<DOMRect, SVGSVGElement>({
    begin: (event) => event.currentTarget.getBoundingClientRect(),
    move: (box, event) => onPreview(at(box, event)),
    end: (box, event) => onCommit(at(box, event)),
    cancel: onCancel,
  });
  const onKeyDown = (event: KeyboardEvent) => {
    const step = event.shiftKey ? 10 : 1;
    const by: Readonly<Record<string, readonly [number, number]>> = {
      ArrowLeft: [0, -step],
      ArrowRight: [0, step],
      ArrowUp: [step, 0],
      ArrowDown: [-step, 0],
    };
    if (event.key in by) {
      const [across, cm] = by[event.key];
      onCommit(placed(acrossPercent + across, distanceCm + cm));
    } else if (event.key !== 'Escape' || !cancel()) return;
    event.preventDefault();
    event.stopPropagation();
  };
  const [x, y] = [xOf(distanceCm), yOf(acrossPercent)];
  return (
    <svg
      {...handlers}
      className="microphone-plan"
      width={width}
      height={height}
      role="button"
      tabIndex={0}
      aria-label={`${label}: ${figure(acrossPercent, 0)} % across, ${figure(distanceCm, 0)} cm away`}
      onKeyDown={onKeyDown}
    >
      <title>
        {`${cabinets[cabinet.kind].name}: drag the microphone, or arrow keys (Shift: ten steps)`}
      </title>
      <path
        d={`M${coneX} ${middleY - coneY}L4 ${middleY - 9}V${middleY + 9}L${coneX} ${middleY + coneY}Z`}
        fill="var(--rule)"
        stroke="var(--edge)"
      />
      <path
        d={`M${coneX} ${middleY - coneY - 4}V${middleY + coneY + 4}M${coneX} ${middleY}H${farX}`}
        stroke="var(--edge)"
        strokeDasharray="1 3"
        fill="none"
      />
      {[10, 50, 100, 200].map((cm) => (
        <g key={cm}>
          <path d={`M${xOf(cm)} ${height - 13}v3`} stroke="var(--edge)" />
          <text x={xOf(cm)} y={height - 2} fontSize={9} textAnchor="middle" fill="var(--quiet)">
            {cm}
          </text>
        </g>
      ))}
      <circle cx={x} cy={y} r={5} fill="var(--ink)" />
      <text x={Math.min(x + 9, width - 62)} y={y + 3} fontSize={10} className="mono">
        {figure(acrossPercent, 0)} % · {figure(distanceCm, 0)} cm
      </text>
    </svg>
  );
}
