import { useEffect, useRef, useState } from 'react';
import { useNavigate, useParams } from 'react-router';
import { useStore } from 'zustand';
import { ExportDialog } from '../handoff/ExportDialog.tsx';
import { FoldColumn } from '../fold/FoldColumn.tsx';
import { HelpDialog } from '../help/HelpDialog.tsx';
import { ImagePlace } from '../image/ImagePlace.tsx';
import { DropArea } from '../controls/DropArea.tsx';
import { ImportPanel, useImport } from '../importing/ImportPanel.tsx';
import { takeOver } from '../importing/waiting-files.ts';
import { AmongPlace } from '../among/AmongPlace.tsx';
import { ComparePlace } from '../compare/ComparePlace.tsx';
import { PartsList } from '../parts/PartsList.tsx';
import { Strip } from '../strip/Strip.tsx';
import { BottomBar } from '../transport/BottomBar.tsx';
import { useOpenSong, useSong } from '../session/open-song.ts';
import { usePlace, type Place } from './places.ts';
import { SongHeader } from './SongHeader.tsx';
import { useShortcuts } from '../session/shortcuts.ts';

/** The frame round a song: parts at the left, the fold at the right, the transport below, the place of work between. */
export function SongFrame() {
  const open = useOpenSong();
  const song = useSong();
  const imports = useImport(open);
  const [dialog, setDialog] = useState<'export' | 'help' | null>(null);
  const [drawer, setDrawer] = useState(false);
  useShortcuts(open, () => setDialog('help'));
  const place = usePlace();
  useSelectionInAddress(place);

  const { bring } = imports;
  useEffect(() => {
    const files = takeOver(open.session.id);
    if (files.length > 0) void bring(files);
  }, [open, bring]);

  return (
    <DropArea
      hint="Drop mono takes and a rough mix into this song"
      onFiles={(files) => void bring(files)}
    >
      <div className="frame">
        <SongHeader onExport={() => setDialog('export')} onHelp={() => setDialog('help')} />
        <nav className="frame-parts" aria-label="Parts">
          <ImportPanel state={imports.state} onStop={imports.stop} onDismiss={imports.dismiss} />
          <PartsList onFiles={(files) => void bring(files)} />
        </nav>
        <main className="frame-place">
          {song.partOrder.length > 0 ? (
            <>
              <Strip />
              {place === 'image' && <ImagePlace onExport={() => setDialog('export')} />}
              {place === 'compare' && <ComparePlace />}
              {place === 'among' && <AmongPlace />}
            </>
          ) : (
            <p className="empty m-auto">
              This song is empty. Drop mono files here (WAV, FLAC, MP3, Ogg Vorbis or AIFF), one for
              each instrument or singer, and a stereo rough mix of everything else: it becomes the
              bed. The first file decides the song&apos;s rate.
            </p>
          )}
        </main>
        <aside className={`frame-fold${drawer ? ' open' : ''}`} aria-label="Fold" id="fold-column">
          <FoldColumn />
        </aside>
        <BottomBar drawer={drawer} onDrawer={() => setDrawer(!drawer)} />
      </div>
      {dialog === 'export' && <ExportDialog onClose={() => setDialog(null)} />}
      {dialog === 'help' && <HelpDialog onClose={() => setDialog(null)} />}
    </DropArea>
  );
}

/** The selected part has its address; back and forward select. */
function useSelectionInAddress(place: Place): void {
  const open = useOpenSong();
  const navigate = useNavigate();
  const { partId: addressed } = useParams();
  const selected = useStore(open.selection, (selection) => selection.partId);

  /** Parts that the address was sent to and has not arrived at: on a busy machine it comes late, and must not lead back. */
  const sent = useRef(new Set<string>());

  // The address leads where it names a part that is there …
  useEffect(() => {
    const { song } = open.session.store.getState();
    const { partId } = open.selection.getState();
    if (addressed === partId) sent.current.clear();
    else if (addressed && sent.current.delete(addressed)) return;
    if (addressed && addressed !== partId && song.parts[addressed])
      open.selection.setState({
        partId: addressed,
        partIds: [addressed],
        voiceId: null,
        voiceIds: [],
      });
  }, [open, addressed]);
  // … and follows where something else is selected.
  useEffect(() => {
    if (selected === null) return;
    const path = `/songs/${open.session.id}/parts/${selected}/${place}`;
    if (location.pathname === path) return;
    sent.current.add(selected);
    void navigate(path, { replace: !location.pathname.includes('/parts/') });
    // Where the place changes, the address has changed already.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [open, selected, navigate]);
}
