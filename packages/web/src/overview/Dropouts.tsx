import { costliest } from '@pannet/core/song/costs';
import { plural } from '@pannet/core/quantities/wording';
import { useState } from 'react';
import Dropdown from 'react-bootstrap/Dropdown';
import { usePlayback, useSong } from '../session/use-open-song.ts';
import { Freezing } from './Freezing.tsx';

/** So many are offered: freezing what costs little helps little. */
const most = 5;

/** How often the sound did not come in time; behind it what costs most, to be frozen by a press. */
export function Dropouts() {
  const underruns = usePlayback((state) => state.underruns);
  const [shown, setShown] = useState(false);
  return (
    <Dropdown autoClose="outside" show={shown} onToggle={setShown}>
      <Dropdown.Toggle
        size="sm"
        variant="light"
        className="quiet"
        title="Moments at which the sound did not come in time since this song was opened; and what can be done where they go on"
      >
        {plural(underruns, 'dropout')}
      </Dropdown.Toggle>
      <Dropdown.Menu className="p-3 small text-wrap" style={{ width: 380 }}>
        {shown && <Costs />}
      </Dropdown.Menu>
    </Dropdown>
  );
}

function Costs() {
  const song = useSong();
  const costs = costliest(song).slice(0, most);
  if (costs.length === 0)
    return (
      <p className="m-0">
        Nothing of this song costs much to play. What else runs on this machine does: close it, or
        wait for it.
      </p>
    );
  return (
    <>
      <p>
        The sound did not come in time. Where that goes on, freeze what costs most, from above: it
        plays the same, and is live again as soon as it is changed.
      </p>
      <ol className="list-unstyled m-0">
        {costs.map((thing) => (
          <li key={thing.id} className="d-flex align-items-center gap-2 mb-1">
            <span className="flex-grow-1 text-truncate">{thing.name}</span>
            <Freezing thing={thing} />
          </li>
        ))}
      </ol>
    </>
  );
}
