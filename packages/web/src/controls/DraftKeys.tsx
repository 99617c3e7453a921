import { draftNumbers } from '@pannet/core/song/draft-number';

interface Props {
  /** What they are drafts of, where that is not plain. */
  readonly of?: string;
  /** What is kept: “the image, and how it moves”. */
  readonly what: string;
  readonly drafts: object;
  /** The one that was kept or taken up last. */
  readonly draft: string | null;
  /** Whether anything was changed since. */
  readonly changed: boolean;
  readonly onRecall: (number: string) => void;
  readonly onKeep: (number: string) => void;
}

/** Kept states under their numbers: a press takes one up, with Shift it is kept anew. */
export function DraftKeys({ of, what, drafts, draft, changed, ...on }: Props) {
  const ofIt = of === undefined ? '' : ` of ${of}`;
  const numbers = Object.keys(drafts).sort();
  const free = draftNumbers.find((number) => !numbers.includes(number));
  return (
    <span className="d-inline-flex align-items-center gap-2">
      <span className="listening" role="group" aria-label={`Drafts${ofIt}`}>
        {numbers.map((number) => (
          <button
            key={number}
            type="button"
            aria-pressed={number === draft}
            aria-label={`Draft ${number}${ofIt}${number === draft && changed ? ', changed' : ''}`}
            title={`Take up draft ${number} (${number}); keep ${what} there: Shift ${number}`}
            onClick={(event) => (event.shiftKey ? on.onKeep(number) : on.onRecall(number))}
          >
            {number}
            {number === draft && changed && '′'}
          </button>
        ))}
        {free && (
          <button
            type="button"
            aria-label={`Keep as draft ${free}${ofIt}`}
            title={`Keep ${what} as draft ${free} (Shift ${free})`}
            onClick={() => on.onKeep(free)}
          >
            {numbers.length === 0 ? 'Keep a draft' : '+'}
          </button>
        )}
      </span>
      {changed && <span className="small quiet">changed</span>}
    </span>
  );
}
