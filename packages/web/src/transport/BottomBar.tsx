import { Pause, Play, Repeat, SkipBack, SlidersHorizontal } from '@phosphor-icons/react';
import { bedParameters } from '@pannet/core/parameters/tables';
import { clock, figure, signedFigure } from '@pannet/core/quantities/wording';
import type { Listening } from '@pannet/core/rendering/listening';
import type { Edit } from '@pannet/core/song/edits';
import Button from 'react-bootstrap/Button';
import { useStore } from 'zustand';
import { NumberField } from '../controls/NumberField.tsx';
import { VerdictMark } from '../controls/VerdictMark.tsx';
import {
  useAnalyst,
  useOpenSong,
  usePlayback,
  useSelectedMeasures,
  useSelectedPart,
  useSong,
} from '../song/open-song.ts';

const listeningNames: readonly (readonly [Listening, string, string])[] = [
  ['stereo', 'Stereo', 'As it is'],
  ['fold', 'Fold', '(L+R)/2 on both speakers (F)'],
  ['difference', 'Difference', '(L−R)/2: what the fold loses'],
  ['left', 'L', 'The left side alone'],
  ['right', 'R', 'The right side alone'],
];

interface Props {
  readonly drawer: boolean;
  readonly onDrawer: () => void;
}

export function BottomBar({ drawer, onDrawer }: Props) {
  const open = useOpenSong();
  const { playback } = open;
  const song = useSong();
  const state = usePlayback((playing) => playing.state);
  const loop = usePlayback((playing) => playing.loop);
  const looping = usePlayback((playing) => playing.looping);
  const listening = usePlayback((playing) => playing.monitoring.listening);
  const nothing = song.partOrder.length === 0 && !song.bed;
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
      <Clock />
      <span className="listening" role="group" aria-label="Hear">
        {listeningNames.map(([value, label, title]) => (
          <button
            key={value}
            type="button"
            title={title}
            aria-pressed={listening === value}
            onClick={() => playback.listen({ listening: value })}
          >
            {label}
          </button>
        ))}
      </span>
      <PlainOrImage />
      <Drafts />
      <span className="flex-grow-1" />
      <BedControls />
      <FoldDrawerButton drawer={drawer} onDrawer={onDrawer} />
    </footer>
  );
}

function Clock() {
  const frame = usePlayback((state) => state.frame);
  const loading = usePlayback((state) => state.state === 'loading');
  const rate = useSong().rateHz ?? 48_000;
  return (
    <span className="mono" style={{ minWidth: 64 }} title="Place in the song">
      {loading ? 'loading' : clock(frame / rate, 1)}
    </span>
  );
}

/** The selected parts plain or as images, at the same loudness. */
function PlainOrImage() {
  const open = useOpenSong();
  const part = useSelectedPart();
  const plain = usePlayback((state) => (part ? state.monitoring.plain[part.id] : undefined));
  const measures = useSelectedMeasures();
  useAnalyst((state) => state.parts);
  const match = part ? open.analyst.matchDb(part.id) : null;
  const isPlain = plain !== undefined;
  return (
    <span className="d-inline-flex align-items-center gap-2">
      <span className="listening" role="group" aria-label="Plain or image">
        {[true, false].map((wanted) => (
          <button
            key={String(wanted)}
            type="button"
            disabled={!part}
            title={wanted ? 'The take in the middle, as loud as the image (P)' : 'The image (P)'}
            aria-pressed={isPlain === wanted}
            onClick={() => isPlain !== wanted && open.togglePlain()}
          >
            {wanted ? 'Plain' : 'Image'}
          </button>
        ))}
      </span>
      <span
        className="mono small quiet"
        style={{ minWidth: 104 }}
        title="By how much plain is raised or lowered, so that both are equally loud (BS.1770)"
      >
        {match === null
          ? measures
            ? 'silent'
            : 'measuring …'
          : `matched ${signedFigure(match, 1)} LU`}
      </span>
    </span>
  );
}

/** Kept states of the selected part's image. */
function Drafts() {
  const open = useOpenSong();
  const part = useSelectedPart();
  if (!part) return null;
  const { drafts, draft, image } = part;
  const numbers = Object.keys(drafts).sort();
  const free = ['1', '2', '3', '4', '5', '6', '7', '8', '9'].find((number) => !drafts[number]);
  const changed = draft !== null && JSON.stringify(drafts[draft]) !== JSON.stringify(image);
  return (
    <span className="d-inline-flex align-items-center gap-2">
      <span className="listening" role="group" aria-label="Drafts">
        {numbers.map((number) => (
          <button
            key={number}
            type="button"
            aria-pressed={number === draft}
            aria-label={`Draft ${number}${number === draft && changed ? ', changed' : ''}`}
            title={`Take up draft ${number} (${number}); keep the image there: Shift ${number}`}
            onClick={(event) =>
              event.shiftKey ? open.keepDraft(number) : open.recallDraft(number)
            }
          >
            {number}
            {number === draft && changed && '′'}
          </button>
        ))}
        {free && (
          <button
            type="button"
            aria-label={`Keep as draft ${free}`}
            title={`Keep the image as draft ${free} (Shift ${free})`}
            onClick={() => open.keepDraft(free)}
          >
            {numbers.length === 0 ? 'Keep a draft' : '+'}
          </button>
        )}
      </span>
      {changed && <span className="small quiet">changed</span>}
    </span>
  );
}

function BedControls() {
  const open = useOpenSong();
  const { bed } = useSong();
  const heard = usePlayback((state) => state.monitoring.bedHeard);
  if (!bed) return <span className="quiet small">no bed</span>;
  const edit = (levelDb: number): Edit[] => [{ kind: 'set-bed', bed: { ...bed, levelDb } }];
  return (
    <span className="d-inline-flex align-items-center gap-1">
      <button
        type="button"
        className="letter-toggle w-auto px-2"
        aria-pressed={heard}
        title="Hear the rough mix of everything else"
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
