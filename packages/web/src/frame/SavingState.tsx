import { CheckCircle, CircleDashed, CloudSlash, WarningDiamond } from '@phosphor-icons/react';
import { plural } from '@pannet/core/quantities/wording';
import { useEffect, useState } from 'react';
import Button from 'react-bootstrap/Button';
import { useNavigate } from 'react-router';
import { SignInDialog } from '../accounts/SignInDialog.tsx';
import { sentenceOf } from '../api/request.ts';
import { say } from '../controls/notices.ts';
import { useOpenSong, useSession } from '../session/open-song.ts';
import type { CopyMade } from '../sync/copy-with-steps.ts';

const warning = <WarningDiamond aria-hidden weight="fill" color="var(--breaks)" />;

/** Goes to a copy that was made, and says what did not fit even there. */
export function useGoToCopy(): (making: Promise<CopyMade>) => void {
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

/** Whether all that was done is safe, and if not, what can be done about it. */
export function SavingState() {
  const { session } = useOpenSong();
  const saving = useSession((state) => state.saving);
  const waiting = useSession((state) => state.pending.length);
  const kept = useSession((state) => state.kept);
  const goToCopy = useGoToCopy();
  const [signing, setSigning] = useState(false);
  const takeServerState = () =>
    void session.takeServerState().catch((error: unknown) => say(sentenceOf(error)));
  const unkept = waiting > 0 && !kept;
  useEffect(() => {
    if (!unkept) return undefined;
    // The only copy is in this page.
    const warn = (event: BeforeUnloadEvent) => event.preventDefault();
    addEventListener('beforeunload', warn);
    return () => removeEventListener('beforeunload', warn);
  }, [unkept]);
  const alone = unkept && (
    <span role="alert">
      {' '}
      · {warning} this browser keeps nothing (no room, or not allowed): leave the page open
    </span>
  );

  switch (saving.kind) {
    case 'saved':
      return (
        <span className="quiet" role="status">
          <CheckCircle aria-hidden /> saved
        </span>
      );
    case 'saving':
      return (
        <span className="quiet" role="status">
          <CircleDashed aria-hidden /> saving …{alone}
        </span>
      );
    case 'lost':
      return (
        <span
          role="status"
          title={
            kept
              ? 'Work goes on; what waits is kept in this browser and sent as soon as the server answers.'
              : 'Work goes on; what waits is sent as soon as the server answers, as long as this page stays open.'
          }
        >
          <CloudSlash aria-hidden color="var(--breaks)" /> server lost · {plural(waiting, 'edit')}{' '}
          waiting{alone}
        </span>
      );
    case 'signed-out':
      return (
        <span role="alert">
          {warning} signed out{waiting > 0 ? ` · ${plural(waiting, 'edit')} waiting` : ''}{' '}
          <Button size="sm" variant="outline-primary" onClick={() => setSigning(true)}>
            Sign in
          </Button>
          {signing && (
            <SignInDialog
              because="Your session has ended. What you have done is still here, and is saved when you are signed in."
              onSignedIn={() => {
                setSigning(false);
                session.resume();
              }}
              onClose={() => setSigning(false)}
            />
          )}
        </span>
      );
    case 'elsewhere':
      return (
        <span role="alert">
          {warning} changed in another window ·{' '}
          {waiting > 0 && (
            <Button
              size="sm"
              variant="outline-primary"
              className="me-1"
              onClick={() => goToCopy(session.copyWithPending())}
            >
              Open a copy with {plural(waiting, 'unsaved edit')}
            </Button>
          )}
          <Button size="sm" variant="outline-primary" onClick={takeServerState}>
            Take over here{waiting > 0 ? `, without ${plural(waiting, 'unsaved edit')}` : ''}
          </Button>
        </span>
      );
    case 'refused': {
      const { step, sentence } = saving;
      const setAside = () => {
        const lost = session.setAside();
        if (lost.length > 0) say(`With it went what stood on it: ${lost.join(', ')}.`);
      };
      return (
        <span role="alert" title={sentence}>
          {warning} not saved{step ? `: “${step.name}”` : ''}: {sentence}{' '}
          {step && (
            <Button size="sm" variant="outline-primary" className="me-1" onClick={setAside}>
              Set it aside
            </Button>
          )}
          <Button
            size="sm"
            variant="outline-primary"
            className="me-1"
            onClick={() => session.resume()}
          >
            Try again
          </Button>
          <Button size="sm" variant="outline-primary" onClick={takeServerState}>
            Back to what is saved
          </Button>
        </span>
      );
    }
  }
}
