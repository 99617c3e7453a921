import type { Image } from '@pannet/core/image/image';
import { falseDoubles, takeRecipes, tooFewText } from '@pannet/core/image/take-recipes';
import { alignmentParameters, cutParameters, takeParameters } from '@pannet/core/parameters/tables';
import { clampParameter } from '@pannet/core/parameters/parameter';
import { draftNumbers } from '@pannet/core/song/draft-number';
import type { Edit } from '@pannet/core/song/edits/edit';
import { songFrames, type Part, type Take } from '@pannet/core/song/song';
import type { Anchor } from '@pannet/core/takes/take';
import { usualCut, type CutSettings } from '@pannet/core/takes/sounding';
import { lazy, Suspense, useEffect, useState, type CSSProperties } from 'react';
import Button from 'react-bootstrap/Button';
import { useStore } from 'zustand';
import { DropArea } from '../controls/DropArea.tsx';
import { NumberField } from '../controls/NumberField.tsx';
import { Progress } from '../controls/Progress.tsx';
import { say } from '../controls/notices.ts';
import { useSize } from '../controls/use-size.ts';
import { FilesButton } from '../importing/FilesButton.tsx';
import type { IntoPart } from '../importing/takes-into.ts';
import type { OpenSong } from '../session/open-song.ts';
import { useOpenSong, useSelectedPart, useSession, useTimeView } from '../session/use-open-song.ts';
import { isWhole, panned, zoomed, type TimeView } from '../waves/time-view.ts';
import { useTimeWheel } from '../waves/use-time-wheel.ts';
import { TempoField } from '../tempo/TempoField.tsx';
import { TakeRow } from './TakeRow.tsx';
import { TakeWave } from './TakeWave.tsx';
import { comparisonKey, figuresKey, referenceOf, TakesWork } from './takes-work.ts';
import './takes.scss';

const TakeCharts = lazy(() =>
  import('./TakeCharts.tsx').then(({ TakeCharts: charts }) => ({ default: charts })),
);

const waveHeight = 84;
/** The facts stand beside the waves. */
const left = 290;

interface Props {
  readonly onFiles: (files: readonly File[], into: IntoPart) => void;
}

/** The takes of a part under one another: in time with a reference, cut, evened out and placed. */
export function TakesPlace({ onFiles }: Props) {
  const part = useSelectedPart();
  if (!part) return <p className="empty">Choose a part at the left.</p>;
  return <Takes key={part.id} part={part} onFiles={onFiles} />;
}

function Takes({ part, onFiles }: Props & { readonly part: Part }) {
  const open = useOpenSong();
  const [work] = useState(() => new TakesWork(open));
  const state = useStore(work.store);
  const [charts, setCharts] = useState(false);
  const frames = useSession(({ shown }) => Math.max(1, songFrames(shown)));
  const view = useTimeView();
  const { ref, width } = useSize<HTMLDivElement>();
  const show = (next: TimeView) =>
    open.view.setState({ view: isWhole(next, frames) ? null : next });
  const seen = view.to - view.from;
  useTimeWheel(ref, {
    zoom: (factor, share) => {
      const over = Math.max(0, (share * width - left) / (width - left));
      show(zoomed(view, frames, view.from + over * seen, factor));
    },
    pan: (share) => show(panned(view, frames, share * seen)),
  });
  const reference = referenceOf(part);
  const kept = useSession(({ song }) => (part.id in song.parts ? song.parts[part.id] : null));
  const idle = state.busy === null;
  const hold = (take: Take, what: string, anchors: readonly Anchor[]) => {
    const now = kept?.takes.find(({ id }) => id === take.id);
    if (kept && now) void work.hold(kept, now, what, anchors);
  };
  useEffect(() => () => work.close(), [work]);
  useEffect(() => {
    // What is only tried is not measured: it may be gone the next moment.
    if (kept && idle) void work.measure(kept);
  }, [work, kept, idle]);
  return (
    <DropArea
      inner
      hint={`Drop more takes of ${part.name}`}
      onFiles={(files) => onFiles(files, { partId: part.id })}
    >
      <div className="takes-place">
        <Toolbar
          part={part}
          kept={kept ?? part}
          work={work}
          onFiles={onFiles}
          charts={charts}
          onCharts={() => setCharts(!charts)}
        />
        {state.busy && (
          <div className="takes-busy" role="status">
            <span className="quiet small">{state.busy.what} …</span>
            <Progress share={state.busy.share} label={state.busy.what} className="flex-grow-1" />
            <Button
              size="sm"
              variant="outline-primary"
              aria-label={`Stop ${state.busy.what}`}
              onClick={() => work.stop()}
            >
              Stop
            </Button>
          </div>
        )}
        {idle && kept && state.leftAlone === kept.takes && (
          <div className="takes-busy">
            <span className="quiet small">Not all of these takes are measured.</span>
            <Button
              size="sm"
              variant="outline-primary"
              onClick={() => void work.measure(kept, true)}
            >
              Measure them
            </Button>
          </div>
        )}
        <div
          ref={ref}
          className="takes-rows"
          style={{ '--take-facts': `${left}px` } as CSSProperties}
        >
          {part.takes.map((take, n) => {
            const comparison =
              take.id === reference.id
                ? null
                : (state.comparisons[comparisonKey(take, reference)] ?? null);
            return (
              <TakeRow
                key={take.id}
                part={part}
                take={take}
                number={n + 1}
                reference={reference}
                onHold={(what, anchors) => hold(take, what, anchors)}
                onReplace={(files) => onFiles(files, { partId: part.id, takeId: take.id })}
                figures={state.figures[figuresKey(take, reference)] ?? null}
                comparison={comparison}
              >
                {width > left && (
                  <TakeWave
                    part={part}
                    take={take}
                    view={view}
                    width={width - left}
                    height={waveHeight}
                    comparison={comparison}
                    onHold={(what, anchors) => hold(take, what, anchors)}
                  />
                )}
              </TakeRow>
            );
          })}
          {part.takes.length === 1 && (
            <p className="empty">
              One take. Drop another performance of {part.name} here: it is lined up with this one,
              and both are placed left and right.
            </p>
          )}
        </div>
        {charts && (
          <Suspense fallback={<p className="quiet p-2 m-0">Opening …</p>}>
            <TakeCharts
              part={part}
              view={view}
              figuresOf={(take) => state.figures[figuresKey(take, reference)] ?? null}
              reference={reference}
            />
          </Suspense>
        )}
      </div>
    </DropArea>
  );
}

const besideFalse = 'beside-false';

/** The image and two that only look like it are kept as drafts, to be compared blind. */
function keepBesideFalse(open: OpenSong, part: Part): void {
  const free = draftNumbers.filter((number) => !(number in part.drafts));
  const [real, ...others] = free;
  if (others.length < falseDoubles.length) {
    say(`Three free drafts are needed; “${part.name}” has ${free.length}.`);
    return;
  }
  const keep = (number: string, image: Image): Edit => ({
    kind: 'set-draft',
    partId: part.id,
    number,
    image,
  });
  const done = open.do(`${part.name}: drafts beside false doubles`, [
    keep(real, part.image),
    ...falseDoubles.map(({ image }, n) => keep(others[n], image)),
  ]);
  if (done)
    say(
      `Draft ${real} is this image; ${falseDoubles.map(({ name }, n) => `${others[n]} ${name}`).join(', ')}. Compare sets them against each other, blind if you like.`,
    );
}

interface ToolbarProps {
  /** As it is shown, and as it is kept: what is done is done to that. */
  readonly part: Part;
  readonly kept: Part;
  readonly work: TakesWork;
  readonly onFiles: Props['onFiles'];
  /** Whether spectra and loudness are shown. */
  readonly charts: boolean;
  readonly onCharts: () => void;
}

function Toolbar({ part, kept, work, onFiles, charts, onCharts }: ToolbarProps) {
  const open = useOpenSong();
  const { figures } = useStore(work.store);
  const [cut, setCut] = useState<CutSettings>(usualCut);
  const several = part.takes.length > 1;
  const aligned = part.takes.find(({ align }) => align?.path);
  const [wanted, setWanted] = useState<number>(alignmentParameters.tightnessPercent.default);
  const tightness = aligned?.align?.tightnessPercent ?? wanted;
  const reference = referenceOf(kept);
  const evenOut = () => {
    const lufs = (take: (typeof part.takes)[number]) =>
      figures[figuresKey(take, reference)]?.portrait.lufs ?? null;
    const standard = lufs(reference);
    if (standard === null) {
      say('The reference is not measured yet, or silent: there is nothing to even out to.');
      return;
    }
    const edits = kept.takes.flatMap((take): Edit[] => {
      const own = lufs(take);
      if (take.id === reference.id || own === null) return [];
      const levelDb = clampParameter(
        takeParameters.levelDb,
        Math.round(10 * (reference.levelDb + standard - own)) / 10,
      );
      return [{ kind: 'set-take', partId: part.id, takeId: take.id, changes: { levelDb } }];
    });
    if (edits.length > 0) open.do(`${part.name}: takes as loud as ${reference.name}`, edits);
  };
  return (
    <div className="takes-toolbar">
      <Button
        size="sm"
        disabled={!several}
        title="Cuts silence out, and brings all takes into time with the reference: one step"
        onClick={() =>
          void work.arrange(kept, 'trimmed and lined up', { cut, tightnessPercent: tightness })
        }
      >
        Trim and line up
      </Button>
      <Button
        size="sm"
        variant="outline-primary"
        disabled={!several}
        title="Brings all takes into time with the reference, pitch untouched; what is not sure is left"
        onClick={() => void work.arrange(kept, 'lined up', { tightnessPercent: tightness })}
      >
        Line up
      </Button>
      <label className="named-field">
        <span className="quiet small">how tightly</span>
        <NumberField
          parameter={alignmentParameters.tightnessPercent}
          label="How tightly"
          value={tightness}
          width={70}
          onPreview={(value) => (aligned ? work.turn(kept, value) : setWanted(value))}
          onCommit={(value) => {
            setWanted(value);
            if (aligned) void work.turnedTo(kept, value);
          }}
          onCancel={() => open.session.endPreview()}
        />
      </label>
      <Button
        size="sm"
        variant="outline-primary"
        title="Cuts the silence between phrases away; the recording stays as it is"
        onClick={() => void work.arrange(kept, 'silence cut', { cut })}
      >
        Cut silence
      </Button>
      {(['thresholdDb', 'holdMs', 'fadeMs'] as const).map((key) => (
        <label key={key} className="named-field">
          <span className="quiet small">{cutParameters[key].label}</span>
          <NumberField
            parameter={cutParameters[key]}
            label={cutParameters[key].label}
            value={cut[key]}
            width={key === 'thresholdDb' ? 82 : 70}
            onCommit={(value) => setCut({ ...cut, [key]: value })}
          />
        </label>
      ))}
      <Button
        size="sm"
        variant="outline-primary"
        disabled={!several}
        title="Makes all takes as loud as the reference, by their levels"
        onClick={evenOut}
      >
        Even out
      </Button>
      <select
        className="plain-select"
        aria-label="Place the takes"
        title="Voices for all takes, in the place of those that are there"
        value=""
        onChange={(event) => {
          if (event.target.value === besideFalse) {
            keepBesideFalse(open, kept);
            return;
          }
          const recipe = takeRecipes.find(({ id }) => id === event.target.value);
          if (!recipe) return;
          const few = tooFewText(recipe, part.takes.length);
          if (few) say(few);
          open.do(`${part.name}: ${recipe.name.toLowerCase()}`, [
            { kind: 'set-image', partId: part.id, image: recipe.image(part.takes.length) },
          ]);
        }}
      >
        <option value="" disabled hidden>
          Place them …
        </option>
        {takeRecipes.map(({ id, name, sentence, wants }) => (
          <option key={id} value={id} title={sentence}>
            {name} ({wants})
          </option>
        ))}
        {several && (
          <option
            value={besideFalse}
            title="Keeps this image, a late copy and phase spreading of one take as drafts: compared in figures, or blind"
          >
            As drafts beside false doubles
          </option>
        )}
      </select>
      <Button
        size="sm"
        variant="outline-primary"
        aria-pressed={charts}
        title="Spectra of all takes over each other, and the loudness of two along the song"
        onClick={onCharts}
      >
        Spectra
      </Button>
      <TempoField />
      <span className="flex-grow-1" />
      <FilesButton label="Add takes" onFiles={(files) => onFiles(files, { partId: part.id })} />
    </div>
  );
}
