import type { Comparison } from '@pannet/core/takes/line-up/line-up';
import { placeOnPath } from '@pannet/core/takes/line-up/path';
import type { Part, Take } from '@pannet/core/song/song';
import type { Anchor } from '@pannet/core/takes/take';
import { useOpenSong, useRate, useRecordings } from '../session/use-open-song.ts';
import { TakeOutline } from '../waves/TakeOutline.tsx';
import type { TimeView } from '../waves/time-view.ts';
import { Anchors } from './Anchors.tsx';
import { Clips } from './Clips.tsx';

interface Props {
  readonly part: Part;
  readonly take: Take;
  readonly view: TimeView;
  readonly width: number;
  readonly height: number;
  /** null of the reference, and until it is known. */
  readonly comparison: Comparison | null;
  readonly onHold: (what: string, anchors: readonly Anchor[]) => void;
}

/** How late and early the curve shows an onset, in ms. */
const curveMs = 40;
/** A take where it lies, with its timing against the reference as a curve over it. */
export function TakeWave({ part, take, view, width, height, comparison, onHold }: Props) {
  const { waves, timeView } = useOpenSong();
  const recording = useRecordings()[take.recording];
  const rateHz = useRate();
  const wave = height - 16;
  return (
    <>
      <TakeOutline
        waves={waves}
        timeView={timeView}
        recording={recording}
        take={take}
        rateHz={rateHz}
        width={width}
        height={wave}
      />
      <Clips part={part} take={take} view={view} width={width} height={wave} />
      {comparison && comparison.alien === null && (
        <TimingCurve
          take={take}
          view={view}
          width={width}
          height={height}
          comparison={comparison}
        />
      )}
      <Anchors take={take} view={view} width={width} height={height} onHold={onHold} />
    </>
  );
}

interface Drawn {
  readonly take: Take;
  readonly view: TimeView;
  readonly width: number;
  readonly height: number;
}

/** Each onset against the reference: as recorded as a dot (open where it is not sure), as it is heard as a line. */
function TimingCurve({
  take,
  view,
  width,
  height,
  comparison,
}: Drawn & { readonly comparison: Comparison }) {
  const rateHz = useRate();
  const { onsets, offset } = comparison;
  const path = take.align?.path ?? null;
  const middle = height / 2;
  const y = (frames: number) => {
    const ms = (frames / rateHz) * 1000;
    return middle + (Math.max(-curveMs, Math.min(curveMs, ms)) / curveMs) * (middle - 3);
  };
  const x = (frame: number) => ((frame - view.from) / (view.to - view.from)) * width;
  const seen = onsets.filter(({ at }) => at >= view.from && at <= view.to);
  const heard = seen.map(({ at, late }) => ({
    x: x(at),
    y: y((path ? placeOnPath(path, at + late) : at + late - offset) - at),
  }));
  return (
    <svg className="take-curve" width={width} height={height} aria-hidden>
      <path d={`M0 ${middle}H${width}`} stroke="var(--quiet)" strokeDasharray="1 3" />
      {seen.map(({ at, late, sure }) => (
        <circle
          key={at}
          cx={x(at)}
          cy={y(late - offset)}
          r={2.5}
          fill={sure ? 'var(--breaks)' : 'var(--paper)'}
          stroke="var(--breaks)"
        />
      ))}
      <text x={3} y={10} fontSize={10} className="mono" fill="var(--quiet)">
        {curveMs} ms early
      </text>
      <text x={3} y={height - 2} fontSize={10} className="mono" fill="var(--quiet)">
        {curveMs} ms late
      </text>
      {path && heard.length > 1 && (
        <polyline
          points={heard.map((point) => `${point.x},${point.y}`).join(' ')}
          fill="none"
          stroke="var(--breaks)"
          strokeWidth={1.25}
        />
      )}
    </svg>
  );
}
