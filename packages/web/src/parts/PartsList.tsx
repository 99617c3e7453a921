import { Plus, Trash } from '@phosphor-icons/react';
import { partParameters } from '@pannet/core/parameters/tables';
import type { Edit } from '@pannet/core/song/edits/edit';
import { families, partsInOrder, type Family, type Part } from '@pannet/core/song/song';
import { signedFigure } from '@pannet/core/quantities/wording';
import { useRef, type MouseEvent } from 'react';
import Button from 'react-bootstrap/Button';
import Dropdown from 'react-bootstrap/Dropdown';
import { useStore } from 'zustand';
import { NumberField } from '../controls/NumberField.tsx';
import { say } from '../controls/notices.ts';
import { VerdictMark } from '../controls/VerdictMark.tsx';
import {
  useAnalyst,
  useOpenSong,
  usePlayback,
  useSelection,
  useSong,
} from '../session/open-song.ts';
import { letterKeys } from '../session/shortcuts.ts';
import { toggleKeyOf, toggleLetters } from '../comparing/toggle-keys.ts';
import { familyMarks } from './family-marks.tsx';
import { Reach } from './Reach.tsx';
import './parts.scss';

export function PartsList({ onFiles }: { readonly onFiles: (files: File[]) => void }) {
  const open = useOpenSong();
  const song = useSong();
  const { partId, partIds } = useSelection();
  const files = useRef<HTMLInputElement>(null);

  /** A click selects; with Ctrl or Shift several are selected together. */
  const select = (event: MouseEvent, id: string) => {
    if (event.ctrlKey || event.metaKey) {
      const without = partIds.filter((other) => other !== id);
      const next = partIds.includes(id) && without.length > 0 ? without : [...without, id];
      open.selection.setState({
        partIds: next,
        partId: next.includes(partId ?? '') ? partId : next[0],
      });
    } else if (event.shiftKey && partId) {
      const ends = [song.partOrder.indexOf(partId), song.partOrder.indexOf(id)];
      const range = song.partOrder.slice(Math.min(...ends), Math.max(...ends) + 1);
      open.selection.setState({ partIds: range });
    } else {
      open.selection.setState({ partId: id, partIds: [id], voiceId: null, voiceIds: [] });
    }
  };

  return (
    <>
      {partsInOrder(song).map((part, row) => (
        <PartRow
          key={part.id}
          part={part}
          row={row}
          selected={partIds.includes(part.id)}
          onSelect={(event) => select(event, part.id)}
        />
      ))}
      <div className="p-2 d-flex flex-column gap-2">
        <Button size="sm" variant="outline-primary" onClick={() => files.current?.click()}>
          <Plus aria-hidden /> Add files
        </Button>
        <input
          ref={files}
          type="file"
          accept="audio/*,.wav,.flac,.mp3,.ogg,.aif,.aiff,.aifc"
          multiple
          hidden
          aria-label="Files to import"
          onChange={(event) => {
            onFiles([...(event.target.files ?? [])]);
            event.target.value = '';
          }}
        />
        {song.bed && (
          <div className="d-flex align-items-center gap-2 small">
            <span
              className="text-truncate flex-grow-1"
              title={song.recordings[song.bed.recording].fileName}
            >
              Bed: {song.recordings[song.bed.recording].fileName}
            </span>
            <Button
              className="btn-tool"
              variant="light"
              aria-label="Remove the bed"
              onClick={() => open.do('remove the bed', [{ kind: 'set-bed', bed: null }])}
            >
              <Trash />
            </Button>
          </div>
        )}
        {partIds.length > 1 && (
          <p className="quiet small m-0">
            {partIds.length} parts are selected: recipes, plain and export go to all of them.
          </p>
        )}
      </div>
    </>
  );
}

interface RowProps {
  readonly part: Part;
  readonly row: number;
  readonly selected: boolean;
  readonly onSelect: (event: MouseEvent) => void;
}

function PartRow({ part, row, selected, onSelect }: RowProps) {
  const open = useOpenSong();
  const soloed = usePlayback((state) => state.monitoring.solo.includes(part.id));
  const solo = usePlayback((state) => state.monitoring.solo);
  const plain = usePlayback((state) => state.monitoring.plain[part.id] !== undefined);
  const verdict = useAnalyst((state) => state.parts[part.id]?.measured.report.fold.verdict ?? null);
  const song = useSong();
  const toggleKey = toggleKeyOf(song, part);
  const letters = useStore(letterKeys, ({ on }) => on);
  const level = (levelDb: number): Edit[] => [
    { kind: 'set-part', partId: part.id, changes: { levelDb } },
  ];
  return (
    <div
      className={`part-row${selected ? ' selected' : ''}`}
      aria-current={selected || undefined}
      data-testid={`part-${part.name}`}
      onClick={onSelect}
    >
      <FamilyMenu part={part} />
      <button type="button" className="name" title={part.name}>
        {part.name}
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
      <div className="controls" onClick={(event) => event.stopPropagation()}>
        <NumberField
          parameter={partParameters.levelDb}
          label={`Level of ${part.name}`}
          value={part.levelDb}
          width={78}
          onPreview={(levelDb) => open.preview(level(levelDb))}
          onCommit={(levelDb) =>
            open.do(`${part.name}: level ${signedFigure(levelDb, 1)} dB`, level(levelDb))
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
              solo: soloed ? solo.filter((id) => id !== part.id) : [...solo, part.id],
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
            open.do(`${part.muted ? 'unmute' : 'mute'} ${part.name}`, [
              { kind: 'set-part', partId: part.id, changes: { muted: !part.muted } },
            ])
          }
        >
          M
        </button>
        <Reach row={row} />
      </div>
    </div>
  );
}

/** The family's mark; behind it the family, the name and the removal of a part. */
function FamilyMenu({ part }: { readonly part: Part }) {
  const open = useOpenSong();
  const { icon: Icon, tint, label } = familyMarks[part.family];
  const set = (changes: { family?: Family; name?: string }, name: string) =>
    open.do(name, [{ kind: 'set-part', partId: part.id, changes }]);
  const remove = () => {
    if (open.do(`remove ${part.name}`, [{ kind: 'remove-part', partId: part.id }]))
      say(`“${part.name}” was removed.`, { label: 'Undo', run: () => open.session.undo() });
  };
  return (
    <Dropdown onClick={(event: MouseEvent) => event.stopPropagation()}>
      <Dropdown.Toggle
        as="button"
        type="button"
        bsPrefix="btn-bare"
        className="border-0 bg-transparent p-0 lh-1"
        aria-label={`${label}; settings of ${part.name}`}
      >
        <Icon size={18} color={tint} weight="bold" aria-hidden />
      </Dropdown.Toggle>
      <Dropdown.Menu>
        <div className="px-3 pb-2">
          <input
            className="form-control form-control-sm"
            aria-label={`Name of ${part.name}`}
            defaultValue={part.name}
            maxLength={80}
            onBlur={(event) => {
              const name = event.target.value.trim();
              if (name && name !== part.name) set({ name }, `${part.name}: name ${name}`);
            }}
            onKeyDown={(event) => event.key === 'Enter' && event.currentTarget.blur()}
          />
        </div>
        {families.map((family) => {
          const mark = familyMarks[family];
          return (
            <Dropdown.Item
              key={family}
              active={family === part.family}
              onClick={() => set({ family }, `${part.name}: ${mark.label.toLowerCase()}`)}
            >
              <mark.icon aria-hidden /> {mark.label}
            </Dropdown.Item>
          );
        })}
        <Dropdown.Divider />
        <label className="px-3 d-flex align-items-center gap-2 small">
          Toggle key
          <select
            className="plain-select"
            aria-label={`Toggle key of ${part.name}`}
            value={part.toggleKey ?? ''}
            onChange={(event) => {
              const toggleKey = event.target.value || null;
              open.do(`${part.name}: toggle key ${toggleKey?.toUpperCase() ?? 'of its row'}`, [
                { kind: 'set-part', partId: part.id, changes: { toggleKey } },
              ]);
            }}
          >
            <option value="">of its row</option>
            {toggleLetters.map((letter) => (
              <option key={letter} value={letter}>
                {letter.toUpperCase()}
              </option>
            ))}
          </select>
        </label>
        <Dropdown.Divider />
        <Dropdown.Item onClick={remove}>
          <Trash aria-hidden /> Remove this part
        </Dropdown.Item>
      </Dropdown.Menu>
    </Dropdown>
  );
}
