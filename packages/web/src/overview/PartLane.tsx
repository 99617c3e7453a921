import { useDraggable } from '@dnd-kit/core';
import { useSortable } from '@dnd-kit/sortable';
import { CSS } from '@dnd-kit/utilities';
import { plural } from '@pannet/core/quantities/wording';
import type { MoveTarget } from '@pannet/core/song/moves-of';
import { movingWords } from '@pannet/core/song/settings';
import type { Part } from '@pannet/core/song/song';
import { Trash } from '@phosphor-icons/react';
import { memo, useCallback, useRef, useState, type MouseEvent, type RefObject } from 'react';
import { useShallow } from 'zustand/react/shallow';
import { familyMarks } from '../parts/family-marks.tsx';
import {
  useOpenSong,
  usePlayback,
  useRate,
  useRecordings,
  useSelection,
  useSession,
} from '../session/use-open-song.ts';
import { useSeekAndLoop } from '../strip/over-time.tsx';
import { TakeOutline } from '../waves/TakeOutline.tsx';
import { movedBase, movedName, movesOfPart, waitingMoves, waitsFor } from './moves-of-part.ts';
import { FrozenMark } from './Freezing.tsx';
import { MoveLane } from './MoveLane.tsx';
import { ShiftBars } from './ShiftBars.tsx';
import { useMoves } from './use-moves.ts';
import { useVisible } from './use-visible.ts';

export const laneHeight = 34;

/** What is dragged of a part that is its colour. */
export const colourOf = (partId: string) => `colour/${partId}`;

interface Props {
  readonly part: Part;
  /** How many groups it lies in. */
  readonly depth: number;
  readonly width: number;
  /** Of the song. */
  readonly frames: number;
}

/** One part over time; what moves under it. Drawn anew by itself where the view changes, and only where it is seen. */
export const PartLane = memo(function PartLane({ part, depth, width, frames }: Props) {
  const open = useOpenSong();
  const lane = useRef<HTMLDivElement>(null);
  const { partIds, partId } = useSelection();
  const selected = partIds.includes(part.id);
  const heard = usePlayback(
    ({ monitoring }) => monitoring.solo.length === 0 || monitoring.solo.includes(part.id),
  );
  const { icon: Icon, tint, label } = familyMarks[part.family];
  const {
    setNodeRef: setColourRef,
    listeners: colourListeners,
    transform: colourMoved,
  } = useDraggable({ id: colourOf(part.id) });
  const sortable = useSortable({ id: `part/${part.id}` });
  const { attributes, listeners, setNodeRef, setActivatorNodeRef, transform, transition } =
    sortable;
  const hold = useCallback(
    (node: HTMLDivElement | null) => {
      lane.current = node;
      setNodeRef(node);
    },
    [setNodeRef],
  );
  const rateHz = useRate();
  const moves = useSession(useShallow(({ shown }) => movesOfPart(shown, part)));
  const waiting = useSession(useShallow(({ shown }) => waitingMoves(shown, part)));
  const select = (event: Pick<MouseEvent, 'ctrlKey' | 'metaKey' | 'shiftKey'>) => {
    if (!event.ctrlKey && !event.metaKey && !event.shiftKey) {
      if (partId !== part.id || partIds.length > 1)
        open.selection.setState({
          partId: part.id,
          partIds: [part.id],
          voiceId: null,
          voiceIds: [],
        });
      return true;
    }
    const others = partIds.filter((id) => id !== part.id);
    const next = selected && others.length > 0 ? others : [...others, part.id];
    open.selection.setState({
      partIds: next,
      partId: next.includes(partId ?? '') ? partId : next[0],
    });
    return false;
  };
  const takes = part.takes.length;
  return (
    <div
      ref={hold}
      className={`part-lane${selected ? ' selected' : ''}${part.muted || !heard ? ' unheard' : ''}`}
      style={{ transform: CSS.Translate.toString(transform), transition }}
      data-testid={`lane-${part.name}`}
    >
      <div className="lane-wave" style={{ height: laneHeight }}>
        {width > 0 && (
          <LaneWave part={part} lane={lane} width={width} frames={frames} onPress={select} />
        )}
      </div>
      {selected && <ShiftBars part={part} width={width} />}
      <button
        type="button"
        className="lane-name"
        style={{ left: 6 + 14 * depth, ...(colourMoved ? { overflow: 'visible' } : {}) }}
        title={`${part.name}: a press selects it (Ctrl: with others), a drag brings it elsewhere or into a group`}
        ref={setActivatorNodeRef}
        {...attributes}
        {...listeners}
        tabIndex={0}
        aria-roledescription={undefined}
        aria-pressed={selected}
        onClick={select}
      >
        <span
          ref={setColourRef}
          {...colourListeners}
          className="lane-colour"
          aria-hidden
          style={{ transform: CSS.Translate.toString(colourMoved) }}
          title={`Its colour, ${label.toLowerCase()}: a drag gives it to another row, or to all of a group`}
        >
          <Icon size={14} color={tint} weight="bold" />
        </span>{' '}
        {part.name}
        {takes > 1 && <span className="quiet"> · {plural(takes, 'take')}</span>}{' '}
        <FrozenMark thing={part} />
      </button>
      {moves.map(({ id, target, curve }) => (
        <MoveLane
          key={id}
          name={movedName(part, target)}
          target={target}
          base={movedBase(part, target, rateHz)}
          curve={curve}
          width={width}
        />
      ))}
      {waiting.map(({ id, target }) => (
        <WaitingMove key={id} part={part} target={target} />
      ))}
    </div>
  );
});

/** A move that does nothing now: it goes on by itself when what it moves is there again. */
function WaitingMove({ part, target }: { readonly part: Part; readonly target: MoveTarget }) {
  const moves = useMoves();
  const what = movingWords[target.parameter];
  return (
    <div className="move-waits quiet small">
      <span>
        A move of {what} waits: {waitsFor(part, target)}.
      </span>
      <button
        type="button"
        className="btn-tool"
        aria-label={`Remove the move of ${what} of ${part.name} that waits`}
        onClick={() => moves.keep(`${part.name}, ${what}: stands still`, target, null)}
      >
        <Trash aria-hidden />
      </button>
    </div>
  );
}

interface WaveProps {
  readonly part: Part;
  readonly lane: RefObject<HTMLDivElement | null>;
  readonly width: number;
  readonly frames: number;
  readonly onPress: (event: Pick<MouseEvent, 'ctrlKey' | 'metaKey' | 'shiftKey'>) => boolean;
}

/**
 * The takes of a part over each other, drawn where they sound, from when they are first seen. What was drawn stays: each is a layer of its own,
 * and layers that come and go while all is scrolled are dear.
 */
function LaneWave({ part, lane, width, frames, onPress }: WaveProps) {
  const { waves, timeView } = useOpenSong();
  const visible = useVisible(lane);
  const [drawn, setDrawn] = useState(visible);
  if (visible && !drawn) setDrawn(true);
  const recordings = useRecordings();
  const rateHz = useRate();
  const handlers = useSeekAndLoop(width, frames, onPress);
  const { tint } = familyMarks[part.family];
  return (
    <div className="lane-waves" {...handlers}>
      {(drawn ? part.takes : []).map((take) => (
        <TakeOutline
          key={take.id}
          waves={waves}
          timeView={timeView}
          onScreen={visible}
          recording={recordings[take.recording]}
          take={take}
          rateHz={rateHz}
          width={width}
          height={laneHeight - 1}
          tint={tint}
          layers={part.takes.length}
        />
      ))}
    </div>
  );
}
