import { CheckCircle, CircleDashed, CloudSlash, WarningDiamond } from '@phosphor-icons/react';
import { plural } from '@pannet/core/quantities/wording';
import { useEffect } from 'react';
import { useSession } from '../session/use-open-song.ts';

const warning = <WarningDiamond aria-hidden weight="fill" color="var(--breaks)" />;

/** What becomes of edits that wait. */
const fates = {
  durable: 'What waits is kept on this computer, even if the browser crashes.',
  reload: 'What waits is kept if you reload the page; a crash can lose the last seconds.',
  pending: 'What waits is being kept on this computer.',
  none: 'What waits is in this page only: leave it open.',
} as const;

/** Whether all that was done is safe. */
export function SavingState() {
  const saving = useSession((state) => state.saving);
  const waiting = useSession((state) => state.pending.length);
  const kept = useSession((state) => state.kept);
  const unkept = waiting > 0 && kept === 'none';
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
          title={`You can go on working. ${fates[kept]} It is sent as soon as the server answers.`}
        >
          <CloudSlash aria-hidden color="var(--breaks)" />{' '}
          {saving.because === null ? 'server lost' : 'not taken yet'} · {plural(waiting, 'edit')}{' '}
          waiting{alone}
        </span>
      );
    case 'signed-out':
    case 'elsewhere':
    case 'refused':
      // What can be done about it stands below the header.
      return (
        <span>
          {warning} not saved{waiting > 0 ? ` · ${plural(waiting, 'edit')} waiting` : ''}
        </span>
      );
  }
}
