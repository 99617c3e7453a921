import {
  crowdingOf,
  farShare,
  plainReaches,
  reachesOf,
  type PlacedPart,
} from '@pannet/core/comparing/among-parts';
import { planLeadMs } from '@pannet/core/rendering/fold-paths';
import { figure } from '@pannet/core/quantities/wording';
import { partsInOrder } from '@pannet/core/song/song';
import { useMemo, useState } from 'react';
import { useAnalyst, useOpenSong, useSelection, useSong } from '../session/open-song.ts';
import { SongReport } from '../report/MixReport.tsx';
import { OutlineDrawing } from './OutlineDrawing.tsx';
import './among.scss';

/** The whole song from L to R and up the frequencies: where parts lie, and which are in each other's way. */
export function AmongPlace() {
  const open = useOpenSong();
  const song = useSong();
  const measures = useAnalyst((state) => state.parts);
  const { partId } = useSelection();
  const [before, setBefore] = useState(false);
  const { plan } = open.playback;
  const parts = useMemo(
    () =>
      partsInOrder(song).flatMap((part): (PlacedPart & { readonly muted: boolean })[] => {
        if (!(part.id in measures)) return [];
        const reaches = reachesOf(measures[part.id].measured.report.bandSides);
        const planned = plan?.parts.find(({ id }) => id === part.id);
        return [
          {
            id: part.id,
            name: part.name,
            reaches: before ? plainReaches(reaches) : reaches,
            leadMs: planned && !before ? planLeadMs(planned, plan?.rateHz ?? 48_000) : null,
            muted: part.muted,
          },
        ];
      }),
    [song, measures, plan, before],
  );
  const heard = parts.filter(({ muted }) => !muted);
  const found = crowdingOf(heard);
  const waiting = song.partOrder.length - parts.length;
  return (
    <div className="among-place">
      <OutlineDrawing
        parts={heard}
        selected={partId}
        onSelect={(id) =>
          open.selection.setState({ partId: id, partIds: [id], voiceId: null, voiceIds: [] })
        }
      />
      <section className="among-findings" aria-label="What is crowded">
        <span className="listening mb-2" role="group" aria-label="Before or after">
          {[true, false].map((value) => (
            <button
              key={String(value)}
              type="button"
              aria-pressed={before === value}
              onClick={() => setBefore(value)}
            >
              {value ? 'Before: all plain' : 'After: the images'}
            </button>
          ))}
        </span>
        {waiting > 0 && <p className="quiet small">{waiting} parts are still being measured …</p>}
        {found.length === 0 && waiting === 0 && (
          <p className="quiet">No two parts are in each other&apos;s way.</p>
        )}
        {found.map(({ code, partIds, sentence }) => (
          <p
            key={`${code}${partIds.join()}`}
            className="finding m-0"
            data-testid={`crowding-${code}`}
          >
            {sentence}
          </p>
        ))}
        <PlacesTable parts={heard} />
        <div className="mt-2">
          <SongReport />
        </div>
        <p className="quiet small mt-2">
          An outline is as wide as a part&apos;s difference is strong in each third octave, round
          where its energy lies; bands 30 dB under its strongest are left out. Shared are at least
          35 % of the softer part: common practice.
        </p>
      </section>
    </div>
  );
}

/** The drawing as a table. */
function PlacesTable({ parts }: { readonly parts: readonly PlacedPart[] }) {
  const percent = (share: number) => `${figure(100 * share, 0)} %`;
  return (
    <details className="small mt-2">
      <summary>As a table</summary>
      <table className="w-100">
        <thead>
          <tr className="quiet">
            <th scope="col">Part</th>
            <th scope="col">far L</th>
            <th scope="col">far R</th>
            <th scope="col">Hz</th>
          </tr>
        </thead>
        <tbody>
          {parts.map((part) => (
            <tr key={part.id}>
              <th scope="row" className="fw-normal">
                {part.name}
              </th>
              <td className="mono">{percent(farShare(part, 'L'))}</td>
              <td className="mono">{percent(farShare(part, 'R'))}</td>
              <td className="mono">
                {part.reaches.at(0)?.hz ?? '–'}–{part.reaches.at(-1)?.hz ?? '–'}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </details>
  );
}
