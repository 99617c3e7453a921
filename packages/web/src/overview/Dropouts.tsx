import { costliest } from '@pannet/core/song/costs';
import { plural } from '@pannet/core/quantities/wording';
import Dropdown from 'react-bootstrap/Dropdown';
import { usePlayback, useSong } from '../session/open-song.ts';
import { Freezing } from './Freezing.tsx';

/** So many are offered: freezing what costs little helps little. */
const most = 5;

/** How often the sound did not come in time; behind it what costs most, to be frozen by a press. */
export function Dropouts() {
  const underruns = usePlayback((state) => state.underruns);
  const song = useSong();
  const costs = costliest(song).slice(0, most);
  return (
    <Dropdown autoClose="outside">
      <Dropdown.Toggle
        size="sm"
        variant="light"
        className="quiet"
        title="Moments at which the sound did not come in time since this song was opened; and what can be done where they go on"
      >
        {plural(underruns, 'dropout')}
      </Dropdown.Toggle>
      <Dropdown.Menu className="p-3 small text-wrap" style={{ width: 380 }}>
        {costs.length === 0 ? (
          <p className="m-0">
            Nothing of this song costs much to play. What else runs on this machine does: close it,
            or wait for it.
          </p>
        ) : (
          <>
            <p>
              The sound did not come in time. Where that goes on, freeze what costs most: it plays
              the same, and is live again as soon as it is changed.
            </p>
            {costs.map(({ thing, percent }) => (
              <div key={thing.id} className="d-flex align-items-center gap-2 mb-1">
                <span className="flex-grow-1 text-truncate">
                  {thing.name}{' '}
                  <span className="quiet">about {Math.round(percent)} % of a core</span>
                </span>
                <Freezing thing={thing} />
              </div>
            ))}
          </>
        )}
      </Dropdown.Menu>
    </Dropdown>
  );
}
