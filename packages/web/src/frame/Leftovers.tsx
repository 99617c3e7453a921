import { WarningDiamond } from '@phosphor-icons/react';
import { plural } from '@pannet/core/quantities/wording';
import Button from 'react-bootstrap/Button';
import { useOpenSong, useSession } from '../session/open-song.ts';
import { useGoToCopy } from './SavingState.tsx';

/** Steps of earlier visits that were not sent and no longer fit: what becomes of them is for the engineer to say. */
export function Leftovers() {
  const { session } = useOpenSong();
  const leftovers = useSession((state) => state.leftovers);
  const goToCopy = useGoToCopy();
  if (leftovers.length === 0) return null;
  const rows = leftovers.map((left) => {
    const names = left.commands.map(({ name }) => `“${name}”`);
    return (
      <div key={left.key} role="alert">
        <WarningDiamond aria-hidden weight="fill" color="var(--breaks)" />
        <span className="flex-grow-1 text-truncate" title={names.join('\n')}>
          {plural(left.commands.length, 'edit')} of an earlier visit{' '}
          {left.commands.length === 1 ? 'was' : 'were'} not saved, and the song has changed since:{' '}
          {names.slice(0, 3).join(', ')}
          {names.length > 3 ? ' …' : ''}
        </span>
        <Button
          size="sm"
          variant="outline-primary"
          onClick={() => goToCopy(session.copyWithLeftover(left))}
        >
          Open a copy of the song with {left.commands.length === 1 ? 'it' : 'them'}
        </Button>
        <Button size="sm" variant="outline-primary" onClick={() => session.dropLeftover(left.key)}>
          Drop {left.commands.length === 1 ? 'it' : 'them'}
        </Button>
      </div>
    );
  });
  return (
    <section className="leftovers" aria-label="Edits of earlier visits">
      {rows}
    </section>
  );
}
