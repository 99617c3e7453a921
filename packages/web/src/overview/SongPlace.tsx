import {
  closestCenter,
  DndContext,
  PointerSensor,
  useSensor,
  useSensors,
  type Modifier,
} from '@dnd-kit/core';
import { restrictToParentElement, restrictToVerticalAxis } from '@dnd-kit/modifiers';
import { SortableContext, verticalListSortingStrategy } from '@dnd-kit/sortable';
import { songRows, type SongRow } from '@pannet/core/song/groups';
import { colourEdits, dropEdits, rowId } from '@pannet/core/song/row-drop';
import { songFrames } from '@pannet/core/song/song';
import { useMemo } from 'react';
import { useSize } from '../controls/use-size.ts';
import {
  useBars,
  useOpenSong,
  useRate,
  useSession,
  useSong,
  useTimeView,
} from '../session/use-open-song.ts';
import { LoopMark, TimeHead } from '../strip/over-time.tsx';
import { barMarks } from '../waves/bar-marks.ts';
import { isWhole, panned, zoomed, type TimeView } from '../waves/time-view.ts';
import { useTimeWheel } from '../waves/use-time-wheel.ts';
import { GroupRow } from './GroupRow.tsx';
import { familyMarks } from '../parts/family-marks.tsx';
import { colourOf, PartLane } from './PartLane.tsx';
import { RoomLane } from './RoomLane.tsx';
import { SongTools } from './SongTools.tsx';
import { useGroupFigures } from './use-group-figures.ts';
import './overview.scss';

/** All parts over time, under the strip and its ruler: groups, clips where there is sound, what moves. */
export function SongPlace() {
  const open = useOpenSong();
  const song = useSong();
  const frames = useSession(({ shown }) => Math.max(1, songFrames(shown)));
  const { ref, width } = useSize<HTMLDivElement>();
  const { figures, comparing } = useGroupFigures();
  const rows = useMemo(() => songRows(song), [song]);
  // A press selects; only what is moved by some way is dragged.
  const sensors = useSensors(useSensor(PointerSensor, { activationConstraint: { distance: 6 } }));
  const ids = useMemo(() => rows.map(rowId), [rows]);
  // The view is looked up when the wheel is turned: what is here is not made anew for it, with all of its rows.
  const show = (change: (view: TimeView, seen: number) => TimeView) => {
    const view = open.timeView.getState();
    const next = change(view, view.to - view.from);
    open.view.setState({ view: isWhole(next, frames) ? null : next });
  };
  useTimeWheel(ref, {
    zoom: (factor, share) =>
      show((view, seen) => zoomed(view, frames, view.from + share * seen, factor)),
    pan: (share) => show((view, seen) => panned(view, frames, share * seen)),
    scrolls: true,
  });
  const drop = (dragged: string, over: string) => {
    const kept = open.session.store.getState().song;
    const coloured = dragged.startsWith(colourOf('')) ? dragged.slice(colourOf('').length) : null;
    if (coloured !== null) {
      const edits = colourEdits(kept, coloured, over);
      const target = rows.find((one) => rowId(one) === over);
      const { label } = familyMarks[kept.parts[coloured].family];
      if (target && edits.length > 0) open.do(`${nameOf(target)}: ${label.toLowerCase()}`, edits);
      return;
    }
    const edits = dropEdits(kept, dragged, over);
    const row = rows.find((one) => rowId(one) === dragged);
    if (row && edits.length > 0) open.do(`${nameOf(row)}: another place in the song`, edits);
  };
  return (
    <div className="song-place">
      <div className="song-rows" ref={ref} onScroll={() => open.analyst.rest()}>
        <DndContext
          sensors={sensors}
          collisionDetection={closestCenter}
          modifiers={[restrictToVerticalAxis, withinRows]}
          onDragEnd={({ active, over }) => over && drop(String(active.id), String(over.id))}
        >
          <SortableContext items={ids} strategy={verticalListSortingStrategy}>
            <div className="song-lanes">
              {rows.map((row) =>
                row.kind === 'group' ? (
                  <GroupRow
                    key={rowId(row)}
                    group={row.group}
                    depth={row.depth}
                    figures={figures}
                    comparing={comparing}
                    width={width}
                  />
                ) : (
                  <PartLane
                    key={rowId(row)}
                    part={row.part}
                    depth={row.depth}
                    width={width}
                    frames={frames}
                  />
                ),
              )}
              <OverRows width={width} frames={frames} />
            </div>
          </SortableContext>
        </DndContext>
        {song.rooms.map((room) => (
          <RoomLane key={room.id} room={room} width={width} />
        ))}
      </div>
      <SongTools />
    </div>
  );
}

/** A row stays among the rows; a colour leaves the name that it is in. */
const withinRows: Modifier = (dragged) =>
  String(dragged.active?.id).startsWith(colourOf(''))
    ? dragged.transform
    : restrictToParentElement(dragged);

/** More than all rows of a full song with all that moves under them, in pixels. */
const highest = 16_000;

const nameOf = (row: SongRow) => (row.kind === 'group' ? row.group.name : row.part.name);

/** What lies over all rows: bars, the loop, the playhead. */
function OverRows({ width, frames }: { width: number; frames: number }) {
  const view = useTimeView();
  const rate = useRate();
  const tempo = useBars();
  const x = (seconds: number) => ((seconds * rate - view.from) / (view.to - view.from)) * width;
  return (
    <div className="song-over" aria-hidden>
      {tempo &&
        barMarks(view, rate, width, tempo).map(({ atS, bar }) => (
          <div key={atS} className={bar ? 'bar-line' : 'beat-line'} style={{ left: x(atS) }} />
        ))}
      <LoopMark view={view} width={width} height={highest} rate={rate} plain />
      <TimeHead view={view} frames={frames} width={width} />
    </div>
  );
}
