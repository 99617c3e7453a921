import { lazy, Suspense, type MouseEvent } from 'react';
import { useOpenSong, useSelection, useSong } from '../session/use-open-song.ts';
import { FilesButton } from '../importing/FilesButton.tsx';
import type { IntoPart } from '../importing/takes-into.ts';
import './parts.scss';

// With what drags them: an empty song needs neither.
const PartRows = lazy(() =>
  import('./PartRows.tsx').then(({ PartRows: rows }) => ({ default: rows })),
);

const BedRow = lazy(() => import('./BedRow.tsx').then(({ BedRow: row }) => ({ default: row })));

interface Props {
  /** @param into left out, they become parts */
  readonly onFiles: (files: readonly File[], into?: IntoPart) => void;
}

export function PartsList({ onFiles }: Props) {
  const open = useOpenSong();
  const song = useSong();
  const { partId, partIds } = useSelection();

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
      {song.partOrder.length > 0 && (
        <Suspense fallback={<p className="quiet p-2 m-0">Opening …</p>}>
          <PartRows
            partIds={partIds}
            onSelect={select}
            onFiles={(files, partId) => onFiles(files, { partId })}
          />
        </Suspense>
      )}
      <div className="p-2 d-flex flex-column gap-2">
        <FilesButton onFiles={(files) => onFiles(files)} />
        {song.bed && <BedRow fileName={song.recordings[song.bed.recording].fileName} />}
        {partIds.length > 1 && (
          <p className="quiet small m-0">
            {partIds.length} parts are selected: recipes, plain, level, mute, solo, family,
            preparation and export go to all of them.
          </p>
        )}
      </div>
    </>
  );
}
