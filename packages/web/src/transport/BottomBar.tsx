import { Pause, Play, Repeat, SkipBack, SlidersHorizontal } from '@phosphor-icons/react';
import { bedParameters } from '@pannet/core/parameters/tables';
import { clock, figure, signedFigure } from '@pannet/core/quantities/wording';
import type { Edit } from '@pannet/core/song/edits/edit';
import { barPlace } from '@pannet/core/moves/bar-place';
import type { Tempo } from '@pannet/core/moves/tempo';
import { songFrames } from '@pannet/core/song/song';
import Button from 'react-bootstrap/Button';
import Dropdown from 'react-bootstrap/Dropdown';
import { useStore } from 'zustand';
import { NumberField } from '../controls/NumberField.tsx';
import { say } from '../controls/notices.ts';
import { TimeField } from '../controls/TimeField.tsx';
import { VerdictMark } from '../controls/VerdictMark.tsx';
import {
  useAnalyst,
  useBars,
  useOpenSong,
  usePlayback,
  useRate,
  useSession,
} from '../session/use-open-song.ts';
import { setLoopBetween } from '../session/loop.ts';
import { Drafts, PlainOrImage } from './Comparison.tsx';
import { Hear } from './Hear.tsx';
import { Output } from './Output.tsx';
import './transport.scss';

interface Props {
  readonly drawer: boolean;
  readonly onDrawer: () => void;
}

export function BottomBar({ drawer, onDrawer }: Props) {
  const open = useOpenSong();
  const { playback } = open;
  const nothing = useSession(({ shown }) => shown.partOrder.length === 0 && !shown.bed);
  const state = usePlayback((playing) => playing.state);
  const loop = usePlayback((playing) => playing.loop);
  const looping = usePlayback((playing) => playing.looping);
  return (
    <footer className="frame-bottom" aria-label="Transport">
      <Button
        className="btn-tool"
        variant="light"
        aria-label="To the beginning"
        title="To the beginning (Home)"
        onClick={() => playback.seek(looping && loop ? loop.start : 0)}
      >
        <SkipBack size={20} />
      </Button>
      <Button
        aria-label={state === 'stopped' ? 'Play' : 'Stop'}
        title="Play and stop (Space)"
        disabled={nothing}
        onClick={() => void playback.toggle()}
      >
        {state === 'stopped' ? <Play size={20} weight="fill" /> : <Pause size={20} weight="fill" />}
      </Button>
      <Button
        className="btn-tool"
        variant="light"
        aria-label="Loop"
        aria-pressed={looping}
        active={looping}
        disabled={!loop}
        title={loop ? 'Loop on and off (L)' : 'Drag across the wave to mark a loop'}
        onClick={() => playback.setLoop(loop, !looping)}
      >
        <Repeat size={20} />
      </Button>
      <WriteToggle />
      <Clock />
      <Hear />
      <PlainOrImage />
      <Drafts />
      <span className="flex-grow-1" />
      <RoomsToggle />
      <BedControls />
      <Output />
      <FoldDrawerButton drawer={drawer} onDrawer={onDrawer} />
    </footer>
  );
}

/** What is held while it plays is written along the song, or set for all of it. */
function WriteToggle() {
  const { writing } = useOpenSong();
  const on = useStore(writing.store, (state) => state.on);
  const playing = usePlayback(({ state }) => state === 'playing');
  return (
    <button
      type="button"
      className={`letter-toggle w-auto px-2${on && playing ? ' writes' : ''}`}
      aria-pressed={on}
      title={
        on
          ? 'Levels, places, delays, widths, cuts, drives and feeds that are held while it plays are written along the song; press to set them for all of it'
          : 'Write along the song what is held while it plays'
      }
      onClick={() => {
        writing.turn(!on).catch(() => {
          say('What writes could not be fetched: is there a connection? Try again.');
        });
      }}
    >
      Write
    </button>
  );
}

/** A place by bars as it runs: bar, beat and sixteenth, always all three. */
function inSixteenths(tempo: Tempo, seconds: number): string {
  const [bar, beat = '1', sixteenth = '1'] = barPlace(tempo, seconds).split('.');
  return [bar, beat, sixteenth].join('.');
}

/** Where it plays; behind it the place and the loop, typed. */
function Clock() {
  const open = useOpenSong();
  const frame = usePlayback((state) => state.frame);
  const loop = usePlayback((state) => state.loop);
  const loading = usePlayback((state) => state.state === 'loading');
  const frames = useSession(({ shown }) => songFrames(shown));
  const rate = useRate();
  const bars = useBars();
  const { start, end } = loop ?? { start: 0, end: frames };
  const at = (seconds: number) => Math.min(frames, Math.round(seconds * rate));
  const field = (label: string, place: number, onCommit: (frame: number) => void) => (
    <label className="d-flex justify-content-between align-items-center gap-2 quiet small">
      {label}
      <TimeField
        label={label}
        seconds={place / rate}
        sample={1 / rate}
        tempo={bars}
        onCommit={(seconds) => onCommit(at(seconds))}
        onRefuse={say}
      />
    </label>
  );
  return (
    <Dropdown drop="up" autoClose="outside">
      <Dropdown.Toggle
        as="button"
        type="button"
        bsPrefix="matched-toggle"
        className="mono clock-toggle"
        title="Place in the song; press to type it, and the loop"
      >
        {loading ? 'loading' : bars ? inSixteenths(bars, frame / rate) : clock(frame / rate, 1)}
      </Dropdown.Toggle>
      <Dropdown.Menu className="p-2" style={{ width: 220 }}>
        {field('Playhead', frame, (place) => open.playback.seek(place))}
        {field('Loop from', start, (place) => setLoopBetween(open, place, end, rate))}
        {field('Loop to', end, (place) => setLoopBetween(open, start, place, rate))}
      </Dropdown.Menu>
    </Dropdown>
  );
}

/** What rooms give back is heard, or left out. */
function RoomsToggle() {
  const open = useOpenSong();
  const any = useSession(({ shown }) => shown.rooms.length > 0);
  const heard = usePlayback((state) => state.monitoring.roomsHeard);
  if (!any) return null;
  return (
    <button
      type="button"
      className="letter-toggle w-auto px-2"
      aria-pressed={heard}
      title="Rooms: hear what they give back"
      onClick={() => open.playback.listen({ roomsHeard: !heard })}
    >
      Rooms
    </button>
  );
}

function BedControls() {
  const open = useOpenSong();
  const bed = useSession(({ shown }) => shown.bed);
  const heard = usePlayback((state) => state.monitoring.bedHeard);
  if (!bed) return <span className="quiet small">no bed</span>;
  const edit = (levelDb: number): Edit[] => [{ kind: 'set-bed', bed: { ...bed, levelDb } }];
  return (
    <span className="d-inline-flex align-items-center gap-1">
      <button
        type="button"
        className="letter-toggle w-auto px-2"
        aria-pressed={heard}
        title="Bed: hear the rough mix of everything else"
        onClick={() => open.playback.listen({ bedHeard: !heard })}
      >
        Bed
      </button>
      <NumberField
        parameter={bedParameters.levelDb}
        value={bed.levelDb}
        width={76}
        onPreview={(levelDb) => open.preview(edit(levelDb))}
        onCommit={(levelDb) => open.do(`bed: level ${signedFigure(levelDb, 1)} dB`, edit(levelDb))}
        onCancel={() => open.session.endPreview()}
      />
    </span>
  );
}

/** On a narrow screen the fold column is a drawer; its verdict and figure stay here. */
function FoldDrawerButton({ drawer, onDrawer }: Props) {
  const open = useOpenSong();
  const partId = useStore(open.selection, (selection) => selection.partId);
  const fold = useAnalyst((state) =>
    partId ? state.parts[partId]?.measured.report.fold : undefined,
  );
  return (
    <Button
      className="fold-drawer-button"
      size="sm"
      variant="outline-primary"
      aria-expanded={drawer}
      aria-controls="fold-column"
      onClick={onDrawer}
    >
      <SlidersHorizontal aria-hidden /> Fold <VerdictMark verdict={fold?.verdict ?? null} />{' '}
      {fold?.dropLu !== null && fold?.dropLu !== undefined && `${figure(-fold.dropLu, 1)} LU`}
    </Button>
  );
}
