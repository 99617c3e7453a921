import { lazy, Suspense, useCallback, useEffect, useState, type ReactNode } from 'react';
import { matchPath, useNavigate } from 'react-router';
import { useStore } from 'zustand';
import { Boundary } from '../controls/Boundary.tsx';
import { DropArea } from '../controls/DropArea.tsx';
import { FoldColumn } from '../fold/FoldColumn.tsx';
import { FilesButton } from '../importing/FilesButton.tsx';
import { ImportPanel } from '../importing/ImportPanel.tsx';
import { Imports } from '../importing/imports.ts';
import { takeOver } from '../importing/waiting-files.ts';
import { PartsList } from '../parts/PartsList.tsx';
import { useOpenSong, useSession } from '../session/use-open-song.ts';
import { useShortcuts } from '../session/shortcuts.ts';
import { BottomBar } from '../transport/BottomBar.tsx';
import { placeOf, usePlace } from './places.ts';
import { SongHeader } from './SongHeader.tsx';
import './frame.scss';

// Fetched when they are first gone to.
const AmongPlace = lazy(() =>
  import('../among/AmongPlace.tsx').then(({ AmongPlace: place }) => ({ default: place })),
);
const SongPlace = lazy(() =>
  import('../overview/SongPlace.tsx').then(({ SongPlace: place }) => ({ default: place })),
);
const ImagePlace = lazy(() =>
  import('../image/ImagePlace.tsx').then(({ ImagePlace: place }) => ({ default: place })),
);
const TakesPlace = lazy(() =>
  import('../takes/TakesPlace.tsx').then(({ TakesPlace: place }) => ({ default: place })),
);
const ComparePlace = lazy(() =>
  import('../compare/ComparePlace.tsx').then(({ ComparePlace: place }) => ({ default: place })),
);
const Strip = lazy(() =>
  import('../strip/Strip.tsx').then(({ Strip: strip }) => ({ default: strip })),
);
const Notices = lazy(() =>
  import('./Notices.tsx').then(({ Notices: notices }) => ({ default: notices })),
);
const ImportDialog = lazy(() =>
  import('../importing/ImportDialog.tsx').then(({ ImportDialog: dialog }) => ({ default: dialog })),
);
const NotesDialog = lazy(() =>
  import('../importing/NotesDialog.tsx').then(({ NotesDialog: dialog }) => ({ default: dialog })),
);
const ExportDialog = lazy(() =>
  import('../handoff/ExportDialog.tsx').then(({ ExportDialog: dialog }) => ({ default: dialog })),
);
const HelpDialog = lazy(() =>
  import('../help/HelpDialog.tsx').then(({ HelpDialog: dialog }) => ({ default: dialog })),
);

/** What stands somewhere in the frame: waited for while it is fetched, and alone in it if it breaks. */
function Room({ what, children }: { readonly what: string; readonly children: ReactNode }) {
  return (
    <Boundary what={what}>
      <Suspense fallback={<p className="quiet p-3 m-0">Opening …</p>}>{children}</Suspense>
    </Boundary>
  );
}

/** States of saving about which nothing has to be decided. */
const isUsual: ReadonlySet<string> = new Set(['saved', 'saving']);

/** The frame round a song: parts at the left, the fold at the right, the transport below, the place of work between. */
export function SongFrame() {
  const open = useOpenSong();
  const isEmpty = useSession(({ shown }) => shown.partOrder.length === 0);
  const isToBeDecided = useSession(
    ({ saving, leftovers }) =>
      leftovers.length > 0 ||
      (saving.kind === 'lost' ? saving.because !== null : !isUsual.has(saving.kind)),
  );
  const [imports] = useState(() => new Imports(open));
  const importing = useStore(imports.store);
  const dismiss = useCallback(() => imports.dismiss(), [imports]);
  const [dialog, setDialog] = useState<'export' | 'help' | null>(null);
  const [drawer, setDrawer] = useState(false);
  useShortcuts(open, () => setDialog('help'));
  const place = usePlace();
  useSelectionInAddress();

  useEffect(() => {
    const files = takeOver(open.session.id);
    if (files.length > 0) void imports.bring(files);
  }, [open, imports]);

  return (
    <DropArea
      hint="Drop mono takes and a rough mix into this song"
      onFiles={(files) => void imports.bring(files)}
    >
      <div className="frame">
        <SongHeader onExport={() => setDialog('export')} onHelp={() => setDialog('help')} />
        {isToBeDecided && (
          <Boundary what="What is to be decided">
            <Suspense>
              <Notices />
            </Suspense>
          </Boundary>
        )}
        <nav className="frame-parts" aria-label="Parts">
          <ImportPanel state={importing} onStop={() => imports.stop()} onDismiss={dismiss} />
          <Room what="The list of parts">
            <PartsList onFiles={(files, into) => void imports.bring(files, into)} />
          </Room>
        </nav>
        <main className="frame-place">
          {isEmpty ? (
            <div className="empty m-auto">
              <p>
                This song is empty. Drop mono files here (WAV, FLAC, MP3, Ogg Vorbis or AIFF), one
                for each instrument or singer, and a stereo rough mix of everything else: it becomes
                the bed. Notes (MIDI) are played on a simulated instrument. The first file decides
                the song&apos;s rate.
              </p>
              <FilesButton main onFiles={(files) => void imports.bring(files)} />
            </div>
          ) : (
            <>
              <Room what="The wave">
                <Strip />
              </Room>
              <Room key={place} what="This place">
                {place === 'song' && <SongPlace />}
                {place === 'image' && <ImagePlace onExport={() => setDialog('export')} />}
                {place === 'takes' && (
                  <TakesPlace onFiles={(files, into) => void imports.bring(files, into)} />
                )}
                {place === 'compare' && <ComparePlace />}
                {place === 'among' && <AmongPlace />}
              </Room>
            </>
          )}
        </main>
        <aside className={`frame-fold${drawer ? ' open' : ''}`} aria-label="Fold" id="fold-column">
          <Room what="The fold column">
            <FoldColumn />
          </Room>
        </aside>
        <Room what="The bar below">
          <BottomBar drawer={drawer} onDrawer={() => setDrawer(!drawer)} />
        </Room>
      </div>
      <Suspense>
        {dialog === 'export' && <ExportDialog onClose={() => setDialog(null)} />}
        {dialog === 'help' && <HelpDialog onClose={() => setDialog(null)} />}
        {importing.asked.length > 0 && (
          <ImportDialog asked={importing.asked} onAnswer={(given) => imports.answer(given)} />
        )}
        {importing.asked.length === 0 && importing.notes.length > 0 && (
          <NotesDialog
            key={importing.notes.length}
            asked={importing.notes[0]}
            onLeave={() => imports.notesDone()}
            onTakes={(takes) => {
              const { into } = importing.notes[0];
              imports.notesDone();
              void imports.bring(takes, into, into ? null : takes.length > 1 ? 'takes' : 'part');
            }}
          />
        )}
      </Suspense>
    </DropArea>
  );
}

/** The selected part has its address; back and forward select. */
function useSelectionInAddress(): void {
  const open = useOpenSong();
  const navigate = useNavigate();
  const selected = useStore(open.selection, (selection) => selection.partId);

  // The address leads where the browser was moved: opened, reloaded, back, forward. What the router
  // draws is not asked: it draws an address late, when something else may be selected already.
  useEffect(() => {
    const follow = () => {
      const addressed = matchPath('/songs/:songId/parts/:partId/*', location.pathname);
      const partId = addressed?.params.partId;
      if (!partId || partId === open.selection.getState().partId) return;
      if (!Object.hasOwn(open.session.store.getState().song.parts, partId)) return;
      open.selection.setState({ partId, partIds: [partId], voiceId: null, voiceIds: [] });
    };
    follow();
    addEventListener('popstate', follow);
    return () => removeEventListener('popstate', follow);
  }, [open]);
  // … and follows where something else is selected.
  useEffect(() => {
    if (selected === null) return;
    // Where to one was on the way, though it is not drawn yet.
    const path = `/songs/${open.session.id}/parts/${selected}/${placeOf(location.pathname)}`;
    // On the way to another song this one is still drawn.
    const isHere = `${location.pathname}/`.startsWith(`/songs/${open.session.id}/`);
    if (location.pathname === path || !isHere) return;
    void navigate(path, { replace: !location.pathname.includes('/parts/') });
  }, [open, selected, navigate]);
}
