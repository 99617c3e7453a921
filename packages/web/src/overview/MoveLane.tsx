import { Copy, Trash } from '@phosphor-icons/react';
import { curveDescription, type Curve } from '@pannet/core/moves/curve';
import { leastApartS, type Points } from '@pannet/core/moves/points';
import { withCopy } from '@pannet/core/moves/written';
import type { MovingParameter } from '@pannet/core/parameters/tables';
import { clock } from '@pannet/core/quantities/wording';
import { moveOf, type MoveTarget } from '@pannet/core/song/moves-of';
import { movingWords } from '@pannet/core/song/settings';
import { useMemo, useRef, useState } from 'react';
import { say } from '../controls/notices.ts';
import { useOpenSong, usePlayback, useRate } from '../session/use-open-song.ts';
import { axisOf } from './move-axis.ts';
import { MoveDrawing } from './MoveDrawing.tsx';
import { CycleFields, PointFields } from './MoveFields.tsx';
import { useMoves } from './use-moves.ts';
import { useVisible } from './use-visible.ts';
import { MotionFigures } from './MotionFigures.tsx';
import { WriteFader } from './WriteFader.tsx';

interface Props {
  /** Of what moves. */
  readonly name: string;
  readonly target: MoveTarget;
  /** What is set, in the unit of what moves. */
  readonly base?: number;
  readonly curve: Curve;
  readonly width: number;
}

/** How something goes along the song, under what it belongs to: points that are dragged, or a cycle. */
export function MoveLane({ name, target, base = 0, curve, width }: Props) {
  const open = useOpenSong();
  const moves = useMoves();
  const { parameter } = target;
  const what = movingWords[parameter];
  const axis = useMemo(() => axisOf(parameter, base), [parameter, base]);
  const said = `${what.replace(/^./, (letter) => letter.toUpperCase())} of ${name}`;
  const [chosen, setChosen] = useState<number | null>(null);
  const lane = useRef<HTMLDivElement>(null);
  const visible = useVisible(lane);
  const keep = (how: string, next: Curve | null) => {
    if (next) moves.keep(`${name}, ${what}: ${how}`, target, next);
  };
  const preview = (next: Curve) => moves.preview(target, next);
  const kept = () => moveOf(open.session.store.getState().song, target)?.curve ?? curve;
  const fields = { parameter, base, kept, onKeep: keep, onPreview: preview };
  return (
    <div ref={lane} className="move-lane" role="group" aria-label={`${said} along the song`}>
      <MoveDrawing
        name={name}
        parameter={parameter}
        axis={axis}
        curve={curve}
        width={width}
        visible={visible}
        chosen={chosen}
        onChosen={setChosen}
        onPreview={preview}
        onKeep={keep}
        onCancel={moves.cancel}
      />
      {curve.kind === 'cycle' && <MotionFigures target={target} />}
      <div className="move-tools">
        <span className="quiet small text-truncate">{`${name}: ${what}`}</span>
        <span className="flex-grow-1" />
        {curve.kind === 'points' ? (
          <>
            <PointFields curve={curve} n={chosen} {...fields} />
            <CopyLoop name={name} curve={curve} parameter={parameter} onKeep={keep} />
            <WriteFader name={name} target={target} base={base} curve={curve} />
          </>
        ) : (
          <CycleFields curve={curve} {...fields} />
        )}
        <select
          className="plain-select"
          aria-label={`How the ${what} of ${name} moves`}
          value={curve.kind}
          onChange={(event) =>
            keep(
              event.target.value === 'cycle' ? 'in a cycle' : 'by points',
              curveDescription.parse(
                event.target.value === 'cycle'
                  ? { kind: 'cycle' }
                  : { kind: 'points', points: [{ atS: 0, by: 0 }] },
              ) as Curve,
            )
          }
        >
          <option value="points">points</option>
          <option value="cycle">a cycle</option>
        </select>
        <button
          type="button"
          className="btn-tool"
          aria-label={`Let the ${what} of ${name} stand still`}
          title="Let it stand still"
          onClick={() => moves.keep(`${name}: ${what} stands still`, target, null)}
        >
          <Trash aria-hidden />
        </button>
      </div>
    </div>
  );
}

interface CopyProps {
  readonly name: string;
  readonly parameter: MovingParameter;
  readonly curve: Points;
  readonly onKeep: (what: string, next: Curve | null) => void;
}

/** What moves in the loop, once more from the playhead on. */
function CopyLoop({ name, curve, parameter, onKeep }: CopyProps) {
  const { playback } = useOpenSong();
  const rateHz = useRate();
  const loop = usePlayback((state) => state.loop);
  if (!loop) return null;
  const copy = () => {
    const [fromS, toS] = [loop.start / rateHz, loop.end / rateHz];
    const atS = playback.store.getState().frame / rateHz;
    if (Math.abs(atS - fromS) < leastApartS) {
      say('The playhead stands at the beginning of the loop: go to where the copy begins first.');
      return;
    }
    onKeep(
      `${clock(fromS, 2)}–${clock(toS, 2)} copied to ${clock(atS, 2)}`,
      withCopy(curve, { fromS, toS }, atS, parameter),
    );
  };
  return (
    <button
      type="button"
      className="btn-tool"
      aria-label={`Copy what ${name} does in the loop to the playhead`}
      title="Copy what is in the loop to the playhead"
      onClick={copy}
    >
      <Copy aria-hidden />
    </button>
  );
}
