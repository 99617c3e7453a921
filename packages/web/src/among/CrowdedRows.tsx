import { alongWindowS } from '@pannet/core/comparing/places-along';
import { clock } from '@pannet/core/quantities/wording';
import { useOpenSong, useRate } from '../session/use-open-song.ts';
import type { MeasuredPlaces } from '../measuring/messages.ts';

interface Props {
  readonly places: MeasuredPlaces;
  /** Where the first window begins, in s. */
  readonly fromS: number;
}

/** What crowds a place along the song: a row each, darker where more is shared. A press goes there. */
export function CrowdedRows({ places: { crowded, windows }, fromS }: Props) {
  const open = useOpenSong();
  const rateHz = useRate();
  const seek = (window: number) =>
    open.playback.seek(Math.round((fromS + window * alongWindowS) * rateHz));
  if (crowded.length === 0)
    return (
      <p className="quiet small m-2">
        No two of them are in each other&apos;s way for two seconds.
      </p>
    );
  return (
    <ul className="crowded-rows" aria-label="Crowded along the song">
      {crowded.map((row) => (
        <li key={`${row.code}/${row.ids.join('/')}`}>
          <button type="button" title={row.sentence} onClick={() => seek(row.worst[0])}>
            {row.code === 'far-side' ? row.sentence.split(' is crowded')[0] : row.names}
          </button>
          <svg
            viewBox={`0 0 ${windows} 10`}
            preserveAspectRatio="none"
            role="img"
            aria-label={row.sentence}
            onClick={(event) => {
              const { left, width } = event.currentTarget.getBoundingClientRect();
              seek(Math.floor(((event.clientX - left) / width) * windows));
            }}
          >
            {row.shares.map((share, n) =>
              share > 0 ? (
                <rect
                  key={n}
                  x={n}
                  width={1}
                  height={10}
                  fill="var(--ink)"
                  fillOpacity={0.85 * share}
                >
                  <title>{clock(fromS + n * alongWindowS)}</title>
                </rect>
              ) : null,
            )}
          </svg>
        </li>
      ))}
      <li className="quiet small mono" aria-hidden>
        <span />
        <span className="d-flex justify-content-between">
          <span>{clock(fromS)}</span>
          <span>{clock(fromS + windows * alongWindowS)}</span>
        </span>
      </li>
    </ul>
  );
}
