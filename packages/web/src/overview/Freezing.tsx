import { isFrozen } from '@pannet/core/song/frozen-room';
import type { Room } from '@pannet/core/song/song';
import Button from 'react-bootstrap/Button';
import { Progress } from '../controls/Progress.tsx';
import { useSession } from '../session/open-song.ts';
import { useFreezing } from './use-freezing.ts';

interface Props {
  readonly room: Room;
}

/** Live, frozen, or frozen once and changed since: then it rings live. */
function useFrozen(room: Room): 'live' | 'frozen' | 'changed' {
  const current = useSession(({ shown }) => isFrozen(shown, room));
  if (!room.frozen) return 'live';
  return current ? 'frozen' : 'changed';
}

/** Said in the row of a room that was frozen. */
export function FrozenMark({ room }: Props) {
  const state = useFrozen(room);
  if (state === 'live') return null;
  return (
    <span className="quiet small text-nowrap" data-testid={`frozen-${room.name}`}>
      {state === 'frozen' ? '· frozen' : '· changed since it was frozen'}
    </span>
  );
}

/** Renders what a room gives back ahead, so that playing it costs next to nothing; with progress, and stopped. */
export function Freezing({ room }: Props) {
  const state = useFrozen(room);
  const { share, freeze, thaw, stop } = useFreezing(room.id);
  if (share !== null)
    return (
      <div className="d-flex align-items-center gap-1 mt-1">
        <Progress share={share} label={`Freezing ${room.name}`} className="flex-grow-1" />
        <Button size="sm" variant="outline-primary" onClick={stop}>
          Stop
        </Button>
      </div>
    );
  return (
    <div className="d-flex align-items-center gap-2 mt-1">
      {state !== 'frozen' && (
        <Button
          size="sm"
          variant="outline-primary"
          title="Renders what it gives back and keeps that beside the song: it plays the same, and costs next to nothing"
          onClick={freeze}
        >
          {state === 'live' ? 'Freeze' : 'Freeze again'}
        </Button>
      )}
      {state !== 'live' && (
        <Button size="sm" variant="outline-primary" onClick={thaw}>
          Ring live
        </Button>
      )}
      {state !== 'live' && (
        <span className="quiet small">
          {state === 'frozen'
            ? 'Its level, its ride and where it goes stay free. While something is heard alone, or plain, it rings live.'
            : 'What feeds it, or it itself, is another one now: it rings live.'}
        </span>
      )}
    </div>
  );
}
