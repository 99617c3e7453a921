import { Ear, X } from '@phosphor-icons/react';
import type { Image } from '@pannet/core/image/image';
import type { Promise as Figures } from '@pannet/core/image/recipe';
import { figure, plural, signedFigure } from '@pannet/core/quantities/wording';
import type { Edit } from '@pannet/core/song/edits/edit';
import type { Part, Song } from '@pannet/core/song/song';
import type { Preparation } from '@pannet/core/takes/preparation';
import { memo, useState, type ReactNode } from 'react';
import Button from 'react-bootstrap/Button';
import { useStore } from 'zustand';
import { useOpenSong, useSelection } from '../session/use-open-song.ts';

interface Props {
  readonly id: string;
  readonly partId: string;
  readonly partName: string;
  readonly name: string;
  readonly sentence: string | null;
  readonly figures?: Figures;
  /** Perhaps made for the part that it is for; null where the recipe cannot be used here. */
  readonly image: Image | ((part: Part, song: Song) => Image) | null;
  /** Findings that it is meant to draw. */
  readonly meant?: readonly string[];
  readonly preparation?: Preparation;
  readonly children?: ReactNode;
}

/** A starting point: tried on a press at matched loudness, or given to all selected parts at once. */
export const RecipeRow = memo(function RecipeRow(props: Props) {
  const { id, partId, partName, name, sentence, figures, image, preparation, children } = props;
  const { meant = [] } = props;
  const open = useOpenSong();
  const { partIds } = useSelection();
  const [asked, setAsked] = useState(false);
  const trial = useStore(open.audition.store, (state) => state.trial);
  const editsFor = (part: Part, song: Song): Edit[] => {
    const partId = part.id;
    const made = typeof image === 'function' ? image(part, song) : image;
    return [
      ...(made ? [{ kind: 'set-image', partId, image: made } as const] : []),
      ...(made ? [{ kind: 'set-part', partId, changes: { meant } } as const] : []),
      ...(preparation ? [{ kind: 'set-preparation', partId, preparation } as const] : []),
    ];
  };
  const stepFor = (ids: readonly string[]) => {
    const { song } = open.session.store.getState();
    // One that another window has just removed is given nothing.
    const parts = ids.flatMap((id) => (Object.hasOwn(song.parts, id) ? song.parts[id] : []));
    return {
      name: `${parts.length > 1 ? plural(parts.length, 'part') : partName}: ${name.toLowerCase()}`,
      edits: parts.flatMap((part) => editsFor(part, song)),
    };
  };
  const tried = trial?.id === id && trial.partId === partId;
  const apply = () => {
    const step = stepFor(partIds);
    if (open.do(step.name, step.edits)) open.selectVoice(null);
  };
  return (
    <div className={`recipe-row${tried ? ' tried' : ''}`} data-testid={`recipe-${name}`}>
      <button
        type="button"
        className="recipe-name"
        aria-expanded={asked || tried}
        title={sentence ?? undefined}
        onClick={() => setAsked(!asked)}
      >
        {name}
      </button>
      <span className="d-flex gap-1">
        <Button
          size="sm"
          variant="outline-primary"
          aria-label={`Listen to ${name}`}
          aria-pressed={tried}
          disabled={!image}
          title={
            tried
              ? 'Drop it: nothing was changed'
              : 'Listen: as loud as what it would replace; nothing is changed yet'
          }
          onClick={() =>
            tried ? open.audition.drop() : open.audition.begin({ id, partId, ...stepFor([partId]) })
          }
        >
          {tried ? <X aria-hidden /> : <Ear aria-hidden />}
        </Button>
        <Button
          size="sm"
          variant={tried ? 'primary' : 'outline-primary'}
          aria-label={`Apply ${name}`}
          disabled={!image}
          onClick={apply}
        >
          {tried ? 'Keep' : 'Apply'}
        </Button>
        {children}
      </span>
      {tried && (
        <span className="mono small recipe-figures" role="status">
          {trial.matchedDb === null
            ? 'matching its loudness …'
            : `matched ${signedFigure(trial.matchedDb, 1)} LU`}
        </span>
      )}
      {figures && (
        <span className="mono small quiet recipe-figures">
          fold {range(figures.foldDb)} S/M {range(figures.widthDb)}
        </span>
      )}
      {figures && (asked || tried) && (
        <span className="mono small quiet recipe-figures">
          {[combedText(figures), figures.leads ? `leads ${figures.leads}` : 'leads nowhere'].join(
            ', ',
          )}
          {figures.onFewTones && (
            <>
              <br />
              of few tones {range(figures.onFewTones.foldDb)}, {range(figures.onFewTones.widthDb)}
            </>
          )}
        </span>
      )}
      {sentence && (asked || tried) && (
        <span className="quiet small recipe-figures">{sentence}</span>
      )}
    </div>
  );
});

function combedText({ combed }: Figures): string {
  return combed === 'at times' ? 'combed at times' : combed ? 'combed' : 'not combed';
}

function range([from, to]: readonly [number, number]): string {
  const text = (value: number) => {
    const places = Number.isInteger(value) ? 0 : 1;
    return value > 0 ? signedFigure(value, places) : figure(value, places);
  };
  return `${text(from)}…${text(to)}`;
}
