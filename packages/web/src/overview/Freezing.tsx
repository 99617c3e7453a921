import { isFrozen } from '@pannet/core/song/frozen';
import type { Part, Room } from '@pannet/core/song/song';
import Button from 'react-bootstrap/Button';
import { Progress } from '../controls/Progress.tsx';
import { useSession } from '../session/use-open-song.ts';
import { useFreezing } from './use-freezing.ts';

interface Props {
  readonly thing: Room | Part;
}

const isPart = (thing: Room | Part): thing is Part => 'takes' in thing;

/** Live, frozen, or frozen once and changed since: then it is live. */
function useFrozen(thing: Room | Part): 'live' | 'frozen' | 'changed' {
  const current = useSession(({ shown }) => isFrozen(shown, thing));
  if (!thing.frozen) return 'live';
  return current ? 'frozen' : 'changed';
}

/** Said in the row of what was frozen. */
export function FrozenMark({ thing }: Props) {
  const state = useFrozen(thing);
  if (state === 'live') return null;
  return (
    <span className="quiet small text-nowrap" data-testid={`frozen-${thing.name}`}>
      {state === 'frozen' ? '· frozen' : '· changed since it was frozen'}
    </span>
  );
}

/** Renders a part or a room ahead, so that playing it costs next to nothing; with progress, and stopped. */
export function Freezing({ thing }: Props) {
  const state = useFrozen(thing);
  const part = isPart(thing);
  const { share, freeze, thaw, stop } = useFreezing({ kind: part ? 'part' : 'room', id: thing.id });
  if (share !== null)
    return (
      <div className="d-flex align-items-center gap-1" style={{ minWidth: 180 }}>
        <Progress share={share} label={`Freezing ${thing.name}`} className="flex-grow-1" />
        <Button size="sm" variant="outline-primary" onClick={stop}>
          Stop
        </Button>
      </div>
    );
  const stays = part
    ? 'Its level, its mute and plain stay free; while a voice is heard alone it is live.'
    : 'Its level, its ride and where it goes stay free; while something is heard alone, or plain, it rings live.';
  return (
    <div className="d-flex align-items-center gap-2">
      {state !== 'frozen' && (
        <Button
          size="sm"
          variant="outline-primary"
          title={`Renders ${part ? 'its image' : 'what it gives back'} and keeps that beside the song: it plays the same, and costs next to nothing. ${stays}`}
          onClick={freeze}
        >
          {state === 'live' ? 'Freeze' : 'Freeze again'}
        </Button>
      )}
      {state !== 'live' && (
        <Button
          size="sm"
          variant="outline-primary"
          title={state === 'frozen' ? stays : 'It was changed, and is live since.'}
          onClick={thaw}
        >
          {part ? 'Play live' : 'Ring live'}
        </Button>
      )}
    </div>
  );
}
