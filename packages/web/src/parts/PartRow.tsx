import { useSortable } from '@dnd-kit/sortable';
import { CSS } from '@dnd-kit/utilities';
import { partParameters } from '@pannet/core/parameters/tables';
import { clampParameter } from '@pannet/core/parameters/parameter';
import { signedFigure } from '@pannet/core/quantities/wording';
import type { Edit } from '@pannet/core/song/edits/edit';
import type { Part } from '@pannet/core/song/song';
import type { KeyboardEvent, MouseEvent } from 'react';
import { useStore } from 'zustand';
import { NumberField } from '../controls/NumberField.tsx';
import { innerDrop, useFileDrop } from '../controls/use-file-drop.ts';
import { VerdictMark } from '../controls/VerdictMark.tsx';
import { toggleKeyOf } from '../comparing/toggle-keys.ts';
import { useAnalyst, useOpenSong, usePlayback, useSong } from '../session/use-open-song.ts';
import { letterKeys } from '../session/shortcuts.ts';
import { FamilyMenu } from './FamilyMenu.tsx';
import { movePart, stepForAll, together } from './parts-together.ts';
import { Reach } from './Reach.tsx';

interface RowProps {
  readonly part: Part;
  readonly row: number;
  readonly selected: boolean;
  readonly onSelect: (event: MouseEvent) => void;
  /** Files that are dropped on it: takes of this part. */
  readonly onFiles: (files: readonly File[]) => void;
}

export function PartRow({ part, row, selected, onSelect, onFiles }: RowProps) {
  const { over, handlers } = useFileDrop(onFiles, true);
  const open = useOpenSong();
  const soloed = usePlayback((state) => state.monitoring.solo.includes(part.id));
  const solo = usePlayback((state) => state.monitoring.solo);
  const plain = usePlayback((state) => state.monitoring.plain[part.id] !== undefined);
  const verdict = useAnalyst((state) => state.parts[part.id]?.measured.report.fold.verdict ?? null);
  const song = useSong();
  const toggleKey = toggleKeyOf(song, part);
  const letters = useStore(letterKeys, ({ on }) => on);
  const sortable = useSortable({ id: part.id });
  const { attributes, listeners, setNodeRef, setActivatorNodeRef, transform, transition } =
    sortable;
  /** The faders of all selected parts move by as much. */
  const level =
    (to: number) =>
    (partId: string): Edit[] => {
      const kept = (id: string) => open.keptPart(id)?.levelDb ?? 0;
      const moved = clampParameter(partParameters.levelDb, kept(partId) + to - kept(part.id));
      return [{ kind: 'set-part', partId, changes: { levelDb: partId === part.id ? to : moved } }];
    };
  const onKeyDown = (event: KeyboardEvent) => {
    if (!event.altKey || (event.key !== 'ArrowUp' && event.key !== 'ArrowDown')) return;
    movePart(open, part.id, event.key === 'ArrowUp' ? -1 : 1);
    event.preventDefault();
  };
  return (
    <div
      className={`part-row row-of-many ${innerDrop}${selected ? ' selected' : ''}`}
      {...handlers}
      aria-current={selected || undefined}
      data-testid={`part-${part.name}`}
      ref={setNodeRef}
      style={{ transform: CSS.Translate.toString(transform), transition }}
      onClick={(event) => {
        // What is a control does its own; anywhere else the row is selected.
        const control = (event.target as Element).closest('.controls :is(button, input, select)');
        if (!control) onSelect(event);
      }}
      onKeyDown={onKeyDown}
    >
      <FamilyMenu part={part} />
      <button
        type="button"
        className="name"
        title={`${part.name}: drag it to another place among the parts`}
        ref={setActivatorNodeRef}
        {...attributes}
        {...listeners}
        tabIndex={0}
        aria-roledescription={undefined}
      >
        <EndKept text={part.name} />
        {plain && <span className="quiet small"> · plain</span>}
      </button>
      {letters && toggleKey && (
        <kbd
          className="toggle-key"
          title={`${toggleKey.toUpperCase()} flips ${part.name} between plain and image`}
        >
          {toggleKey.toUpperCase()}
        </kbd>
      )}
      <VerdictMark verdict={verdict} />
      <div className="controls">
        <NumberField
          parameter={partParameters.levelDb}
          label={`Level of ${part.name}`}
          value={part.levelDb}
          width={78}
          onPreview={(levelDb) => open.preview(together(open, part.id).flatMap(level(levelDb)))}
          onCommit={(levelDb) =>
            stepForAll(open, part, `level ${signedFigure(levelDb, 1)} dB`, level(levelDb))
          }
        />
        <button
          type="button"
          className="letter-toggle"
          aria-pressed={soloed}
          aria-label={`Solo ${part.name}`}
          title="Solo: hear only this"
          onClick={() =>
            open.playback.listen({
              solo: [
                ...solo.filter((id) => !together(open, part.id).includes(id)),
                ...(soloed ? [] : together(open, part.id)),
              ],
            })
          }
        >
          S
        </button>
        <button
          type="button"
          className="letter-toggle"
          aria-pressed={part.muted}
          aria-label={`Mute ${part.name}`}
          title="Mute"
          onClick={() =>
            stepForAll(open, part, part.muted ? 'unmuted' : 'muted', (partId) => [
              { kind: 'set-part', partId, changes: { muted: !part.muted } },
            ])
          }
        >
          M
        </button>
        <Reach row={row} />
      </div>
      {over && <div className="drop-over">Takes of {part.name}</div>}
    </div>
  );
}

/** What is longer may have to be shortened. */
const surelyShown = 14;

/** A name that is shortened before its end, where names of files differ: “…_left”. */
function EndKept({ text }: { readonly text: string }) {
  if (text.length <= surelyShown) return text;
  const end = 8;
  return (
    <span className="end-kept">
      <span className="text-truncate">{text.slice(0, text.length - end)}</span>
      <span>{text.slice(text.length - end)}</span>
    </span>
  );
}
