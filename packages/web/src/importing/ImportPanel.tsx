import { WarningDiamond, X } from '@phosphor-icons/react';
import { plural } from '@pannet/core/quantities/wording';
import { useEffect, useState } from 'react';
import Button from 'react-bootstrap/Button';
import { Progress } from '../controls/Progress.tsx';
import { shareOf, type ImportState } from './import-state.ts';

interface Props {
  readonly state: ImportState;
  readonly onStop: () => void;
  readonly onDismiss: () => void;
}

/** So long what came in is said; after that the mark in each part's row says it. */
const saidMs = 20_000;

export function ImportPanel({ state, onStop, onDismiss }: Props) {
  const { steps, waiting, outcomes } = state;
  const refused = outcomes.filter((outcome) => !outcome.taken);
  const noted = outcomes.filter((outcome) => outcome.taken);
  const busy = steps.length + waiting > 0;
  // What is being read stays, and so does what was not taken.
  const [read, setRead] = useState(false);
  const passes = !busy && !read && refused.length === 0 && noted.length > 0;
  useEffect(() => {
    if (!passes) return;
    const timer = setTimeout(onDismiss, saidMs);
    return () => clearTimeout(timer);
  }, [passes, onDismiss]);
  if (!busy && outcomes.length === 0) return null;
  const share = shareOf(state);
  const what = saidOf(state);
  const because = steps.find((step) => step.because !== undefined)?.because;
  return (
    <section className="p-2 border-bottom" aria-label="Import">
      {busy && (
        <>
          <div className="d-flex align-items-center">
            <span
              className="text-truncate flex-grow-1"
              title={steps.map(({ doing, fileName }) => `${doing} ${fileName}`).join(', ')}
            >
              {what}
            </span>
            <Button
              size="sm"
              variant="outline-primary"
              aria-label="Stop importing"
              title="Gives up what is not sent yet: it leaves the song, with what was done to it"
              onClick={onStop}
            >
              Stop
            </Button>
          </div>
          <Progress share={share} label={what} className="mt-1" />
          {because !== undefined && (
            <p className="m-0 small" role="status">
              {because} It is sent again by itself.
            </p>
          )}
          {waiting > 0 && <p className="m-0 small quiet">{plural(waiting, 'file')} waiting</p>}
        </>
      )}
      {!busy && (
        <Button
          className="btn-tool float-end"
          variant="light"
          aria-label="Dismiss"
          onClick={onDismiss}
        >
          <X />
        </Button>
      )}
      {refused.map((outcome, n) => (
        <p key={n} className="m-0 small" role="alert">
          <WarningDiamond aria-label="Not taken:" weight="fill" color="var(--breaks)" />{' '}
          {outcome.sentence}
        </p>
      ))}
      {noted.length > 0 && (
        <details className="small" onToggle={(event) => setRead(event.currentTarget.open)}>
          <summary className="quiet">{plural(noted.length, 'note')} on what came in</summary>
          {noted.map((outcome, n) => (
            <p key={n} className="m-0 quiet">
              {outcome.sentence}
            </p>
          ))}
        </details>
      )}
    </section>
  );
}

/** What is under way, in a line. All that is only being sent can be worked on. */
function saidOf({ steps, waiting, total }: ImportState): string {
  if (total === 1 && steps[0]) return `${steps[0].doing} ${steps[0].fileName}`;
  const sending = waiting === 0 && steps.every(({ doing }) => doing === 'sending');
  return sending ? `sending ${plural(steps.length, 'file')}` : `importing ${total} files`;
}
