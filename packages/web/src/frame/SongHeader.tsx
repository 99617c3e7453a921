import {
  ArrowUUpLeft,
  ArrowUUpRight,
  Export,
  Question,
  UsersThree,
  WarningDiamond,
} from '@phosphor-icons/react';
import { plural } from '@pannet/core/quantities/wording';
import { panLaws, type PanLaw } from '@pannet/core/voices/pan-law';
import { lazy, Suspense, useState } from 'react';
import Button from 'react-bootstrap/Button';
import { Link } from 'react-router';
import { useAccount } from '../accounts/Account.tsx';
import { SavingState } from './SavingState.tsx';
import { places, usePlace } from './places.ts';
import {
  useOpenSong,
  usePlayback,
  useSelection,
  useSession,
  useSong,
} from '../session/use-open-song.ts';

const Dropouts = lazy(() =>
  import('../overview/Dropouts.tsx').then(({ Dropouts: menu }) => ({ default: menu })),
);
const ShareDialog = lazy(() =>
  import('../accounts/ShareDialog.tsx').then(({ ShareDialog: dialog }) => ({ default: dialog })),
);

interface Props {
  readonly onExport: () => void;
  readonly onHelp: () => void;
}

export function SongHeader({ onExport, onHelp }: Props) {
  const open = useOpenSong();
  const song = useSong();
  const isLate = usePlayback((state) => state.underruns > 0);
  const preparing = usePlayback((state) => state.preparing);
  const failure = usePlayback((state) => state.failure);
  const setLaw = (panLaw: PanLaw) =>
    open.do(`pan law: ${panLaw} dB`, [{ kind: 'set-pan-law', panLaw }]);
  return (
    <header className="frame-header">
      <Link to="/" className="quiet text-decoration-none">
        Songs
      </Link>
      <span className="quiet">/</span>
      <Title />
      <SavingState />
      <Sharing />
      <UndoButtons />
      <span className="flex-grow-1" />
      <Places />
      <span className="flex-grow-1" />
      {failure && (
        <span role="alert" className="text-truncate" title={failure}>
          <WarningDiamond weight="fill" color="var(--breaks)" /> {failure}
        </span>
      )}
      {preparing > 0 && <span className="quiet">tuning {plural(preparing, 'voice')} …</span>}
      {isLate && (
        <Suspense>
          <Dropouts />
        </Suspense>
      )}
      <label className="quiet">
        Pan law{' '}
        <select
          className="plain-select"
          value={song.panLaw}
          title="Level of the centre against a hard side; must be the session's"
          onChange={(event) => setLaw(event.target.value as PanLaw)}
        >
          {panLaws.map((law) => (
            <option key={law} value={law}>
              {law.replace('-', '−')} dB
            </option>
          ))}
        </select>
      </label>
      {song.rateHz !== null && <span className="quiet mono small">{song.rateHz / 1000} kHz</span>}
      <Button size="sm" disabled={song.partOrder.length === 0} onClick={onExport}>
        <Export aria-hidden /> Export
      </Button>
      <Button
        className="btn-tool"
        variant="light"
        aria-label="Help"
        title="All shortcuts (?)"
        onClick={onHelp}
      >
        <Question size={18} />
      </Button>
    </header>
  );
}

/** Whose song it is, where there are accounts. */
function Sharing() {
  const { session } = useOpenSong();
  const { data } = useAccount();
  const [open, setOpen] = useState(false);
  if (!data?.accounts) return null;
  return (
    <>
      {session.may === 'read' && <span className="quiet">to read only</span>}
      <Button
        className="btn-tool"
        variant="light"
        aria-label="Who else sees this song"
        title="Who else sees this song"
        onClick={() => setOpen(true)}
      >
        <UsersThree size={18} />
      </Button>
      {open && (
        <Suspense>
          <ShareDialog
            songId={session.id}
            own={session.may === 'own'}
            onClose={() => setOpen(false)}
          />
        </Suspense>
      )}
    </>
  );
}

/** The places of work of the selected part. */
function Places() {
  const open = useOpenSong();
  const { partId } = useSelection();
  const place = usePlace();
  if (partId === null) return null;
  return (
    <nav className="places" aria-label="Places">
      {places.map(({ id, label }) => (
        <Link
          key={id}
          to={`/songs/${open.session.id}/parts/${partId}/${id}`}
          aria-current={id === place ? 'page' : undefined}
        >
          {label}
        </Link>
      ))}
    </nav>
  );
}

function Title() {
  const open = useOpenSong();
  const song = useSong();
  const [draft, setDraft] = useState<string | null>(null);
  const take = () => {
    if (draft !== null && draft.trim() && draft.trim() !== song.title)
      open.do(`title: ${draft.trim()}`, [{ kind: 'set-title', title: draft.trim() }]);
    setDraft(null);
  };
  return (
    <input
      className="name-input fw-semibold"
      style={{ width: `${Math.min(32, Math.max(8, (draft ?? song.title).length + 1))}ch` }}
      aria-label="Song title"
      maxLength={120}
      value={draft ?? song.title}
      onChange={(event) => setDraft(event.target.value)}
      onBlur={take}
      onKeyDown={(event) => {
        if (event.key === 'Enter') event.currentTarget.blur();
        if (event.key === 'Escape') setDraft(null);
      }}
    />
  );
}

function UndoButtons() {
  const { session } = useOpenSong();
  const history = useSession((state) => state.history);
  const undo = history.undo.at(-1)?.name;
  const redo = history.redo.at(-1)?.name;
  return (
    <span>
      <Button
        className="btn-tool"
        variant="light"
        aria-label={undo ? `Undo ${undo}` : 'Undo'}
        title={undo ? `Undo: ${undo} (Ctrl Z)` : 'Nothing to undo'}
        disabled={!undo}
        onClick={() => session.undo()}
      >
        <ArrowUUpLeft size={18} />
      </Button>
      <Button
        className="btn-tool"
        variant="light"
        aria-label={redo ? `Redo ${redo}` : 'Redo'}
        title={redo ? `Redo: ${redo} (Shift Ctrl Z)` : 'Nothing to redo'}
        disabled={!redo}
        onClick={() => session.redo()}
      >
        <ArrowUUpRight size={18} />
      </Button>
      {undo && <span className="quiet small ms-1 last-step text-truncate">{undo}</span>}
    </span>
  );
}
