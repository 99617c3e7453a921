import { WarningDiamond } from '@phosphor-icons/react';
import { plural } from '@pannet/core/quantities/wording';
import { lazy, Suspense, useState, type ReactNode } from 'react';
import Button from 'react-bootstrap/Button';
import { useNavigate } from 'react-router';
import { sentenceOf } from '../api/request.ts';
import { say } from '../controls/notices.ts';
import { useOpenSong, useSession } from '../session/use-open-song.ts';
import type { CopyMade } from '../sync/copy-with-steps.ts';
import type { Unsent } from '../sync/unsent.ts';

// With all that a dialog is made of: few sessions end under the work.
const SignInDialog = lazy(() =>
  import('../accounts/SignInDialog.tsx').then(({ SignInDialog: dialog }) => ({ default: dialog })),
);

/** What waits for a decision of the engineer's: above the work, and never over it. */
export function Notices() {
  const saving = useSession((state) => state.saving);
  const leftovers = useSession((state) => state.leftovers);
  return (
    <section className="frame-notices" aria-label="To be decided">
      {saving.kind === 'signed-out' && <SignedOut />}
      {saving.kind === 'elsewhere' && <ChangedElsewhere />}
      {saving.kind === 'refused' && <NotTaken {...saving} />}
      {saving.kind === 'lost' && saving.because !== null && <NotYet because={saving.because} />}
      {leftovers.map((left) => (
        <Leftover key={left.key} left={left} />
      ))}
    </section>
  );
}

function Notice({
  sentence,
  title,
  children,
}: {
  readonly sentence: string;
  readonly title?: string;
  readonly children: ReactNode;
}) {
  return (
    <div role="alert" className="frame-notice">
      <WarningDiamond aria-hidden weight="fill" color="var(--breaks)" />
      <span className="flex-grow-1" title={title}>
        {sentence}
      </span>
      {children}
    </div>
  );
}

function Choice({
  onChoose,
  children,
}: {
  readonly onChoose: () => void;
  readonly children: ReactNode;
}) {
  return (
    <Button size="sm" variant="outline-primary" className="flex-shrink-0" onClick={onChoose}>
      {children}
    </Button>
  );
}

/** Goes to a copy that was made, and says what did not fit even there. */
function useGoToCopy(): (making: Promise<CopyMade>) => void {
  const navigate = useNavigate();
  return (making) =>
    void making.then(
      ({ songId, title, lost }) => {
        say(
          lost.length === 0
            ? `“${title}” has your steps in it.`
            : `“${title}” has your steps in it, but for what no longer fits: ${lost.join(', ')}.`,
        );
        void navigate(`/songs/${songId}`);
      },
      (error: unknown) => say(sentenceOf(error)),
    );
}

function useTakeServerState(): () => void {
  const { session } = useOpenSong();
  return () => void session.takeServerState().catch((error: unknown) => say(sentenceOf(error)));
}

function SignedOut() {
  const { session } = useOpenSong();
  const [signing, setSigning] = useState(false);
  return (
    <Notice sentence="Your session has ended. What you have done is still here.">
      <Choice onChoose={() => setSigning(true)}>Sign in and save it</Choice>
      <Suspense>
        {signing && (
          <SignInDialog
            because="What waits is saved as soon as you are signed in."
            onSignedIn={(name) => {
              setSigning(false);
              // Another account opens the song anew: it must not send what this one did.
              if (name === session.account) session.resume();
              else location.reload();
            }}
            onClose={() => setSigning(false)}
          />
        )}
      </Suspense>
    </Notice>
  );
}

/** What passes is tried again by itself; what the server says of it is said on. */
function NotYet({ because }: { readonly because: string }) {
  const { session } = useOpenSong();
  return (
    <Notice sentence={`${because} It is tried again by itself.`}>
      <Choice onChoose={() => session.flush()}>Try now</Choice>
    </Notice>
  );
}

function ChangedElsewhere() {
  const { session } = useOpenSong();
  const waiting = useSession((state) => state.pending.length);
  const goToCopy = useGoToCopy();
  const takeServerState = useTakeServerState();
  return (
    <Notice sentence="This song was changed in another window.">
      {waiting > 0 && (
        <Choice onChoose={() => goToCopy(session.copyWithPending())}>
          Open a copy with {plural(waiting, 'unsaved edit')}
        </Choice>
      )}
      <Choice onChoose={takeServerState}>
        Take over here{waiting > 0 ? `, without ${plural(waiting, 'unsaved edit')}` : ''}
      </Choice>
    </Notice>
  );
}

function NotTaken({
  sentence,
  step,
}: {
  readonly sentence: string;
  readonly step: { readonly name: string } | null;
}) {
  const { session } = useOpenSong();
  const takeServerState = useTakeServerState();
  const setAside = () => {
    const lost = session.setAside();
    if (lost.length > 0) say(`With it went what stood on it: ${lost.join(', ')}.`);
  };
  const what = step ? `“${step.name}” cannot be saved` : 'What was done cannot be saved';
  return (
    <Notice sentence={`${what}: ${sentence}`}>
      {step && <Choice onChoose={setAside}>Set it aside</Choice>}
      <Choice onChoose={() => session.resume()}>Try again</Choice>
      <Choice onChoose={takeServerState}>Back to what is saved</Choice>
    </Notice>
  );
}

/** Steps of earlier visits that were not sent and no longer fit. */
function Leftover({ left }: { readonly left: Unsent }) {
  const { session } = useOpenSong();
  const goToCopy = useGoToCopy();
  const { commands, key } = left;
  const names = commands.map(({ name }) => `“${name}”`);
  const one = commands.length === 1;
  const sentence = `${plural(commands.length, 'edit')} of an earlier visit ${one ? 'was' : 'were'} not saved, and the song has changed since: ${names.slice(0, 3).join(', ')}${names.length > 3 ? ' …' : ''}`;
  return (
    <Notice sentence={sentence} title={names.join('\n')}>
      <Choice onChoose={() => goToCopy(session.copyWithLeftover(left))}>
        Open a copy of the song with {one ? 'it' : 'them'}
      </Choice>
      <Choice onChoose={() => session.dropLeftover(key)}>Drop {one ? 'it' : 'them'}</Choice>
    </Notice>
  );
}
