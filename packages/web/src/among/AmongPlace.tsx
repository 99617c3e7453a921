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
import { useAnalyst, useOpenSong, useSelection, useSong } from '../session/use-open-song.ts';
import Button from 'react-bootstrap/Button';
import { Progress } from '../controls/Progress.tsx';
import type { MeasuredPlaces } from '../measuring/messages.ts';
import { SongReport } from '../report/MixReport.tsx';
import { CrowdedRows } from './CrowdedRows.tsx';
import { usePlaces } from './use-places.ts';
import { OutlineDrawing } from './OutlineDrawing.tsx';
import './among.scss';

/** The whole song from L to R and up the frequencies: where parts lie, and which are in each other's way. */
export function AmongPlace() {
  const open = useOpenSong();
  const song = useSong();
  const measures = useAnalyst((state) => state.parts);
  const { partId } = useSelection();
  const [shown, setShown] = useState<Shown>('after');
  const before = shown === 'before';
  const along = usePlaces();
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
  const { state } = along;
  const heard =
    shown !== 'along'
      ? parts.filter(({ muted }) => !muted)
      : state.kind === 'done'
        ? placedOf(state.places, parts)
        : [];
  const found = crowdingOf(heard);
  const waiting = shown === 'along' ? 0 : song.partOrder.length - parts.length;
  const measured = shown !== 'along' || state.kind === 'done';
  const stale = shown === 'along' && state.kind === 'done' && state.stale;
  return (
    <div className="among-place">
      <div className={`among-drawings${stale ? ' stale' : ''}`}>
        <OutlineDrawing
          parts={heard}
          selected={partId}
          onSelect={(id) => {
            if (Object.hasOwn(song.parts, id))
              open.selection.setState({ partId: id, partIds: [id], voiceId: null, voiceIds: [] });
          }}
        />
        {shown === 'along' && <AlongBar along={along} />}
        {shown === 'along' && state.kind === 'done' && (
          <CrowdedRows places={state.places} fromS={state.fromS} />
        )}
      </div>
      <section className="among-findings" aria-label="What is crowded">
        <span className="listening mb-2" role="group" aria-label="What is shown">
          {views.map(([value, words, title]) => (
            <button
              key={value}
              type="button"
              title={title}
              aria-pressed={shown === value}
              onClick={() => {
                setShown(value);
                if (value === 'along' && state.kind === 'none') along.measure();
              }}
            >
              {words}
            </button>
          ))}
        </span>
        {waiting > 0 && <p className="quiet small">{waiting} parts are still being measured …</p>}
        {found.length === 0 && waiting === 0 && measured && (
          <p className="quiet">No two parts are in each other&apos;s way.</p>
        )}
        {found.map(({ code, partIds, sentence }) => (
          <p
            key={`${code}${partIds.join()}`}
            className={`finding m-0${stale ? ' opacity-50' : ''}`}
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

type Shown = 'before' | 'after' | 'along';

const views: readonly (readonly [Shown, string, string])[] = [
  ['before', 'Plain', 'Before: all parts plain'],
  ['after', 'Images', 'After: the images of all parts'],
  ['along', 'In the song', 'As it sounds along the song: with moves, groups and rooms'],
];

/** What was measured along the song as the drawing shows it; leads are those of the images. */
function placedOf({ items }: MeasuredPlaces, parts: readonly PlacedPart[]): PlacedPart[] {
  return items.flatMap(({ id, name, fedBy, bands }) =>
    bands.length === 0
      ? []
      : [
          {
            id,
            name,
            fedBy,
            reaches: reachesOf(bands),
            leadMs: parts.find((part) => part.id === id)?.leadMs ?? null,
          },
        ],
  );
}

/** How far the measuring is, or of what it was. */
function AlongBar({
  along: { state, stop, measure },
}: {
  readonly along: ReturnType<typeof usePlaces>;
}) {
  return (
    <div className="d-flex align-items-center gap-2 px-2 py-1 small" role="status">
      {state.kind === 'measuring' ? (
        <>
          <Progress share={state.share} label="Measuring along the song" className="flex-grow-1" />
          <Button size="sm" variant="outline-primary" onClick={stop}>
            Stop
          </Button>
        </>
      ) : (
        <>
          <span className="quiet flex-grow-1">
            {state.kind === 'failed'
              ? `It could not be measured: ${state.sentence}`
              : state.kind === 'none'
                ? 'Not measured.'
                : state.stale
                  ? 'Changed since it was measured.'
                  : 'Each part as its groups give it on, and each room, along the song or the loop.'}
          </span>
          {(state.kind !== 'done' || state.stale) && (
            <Button size="sm" variant="outline-primary" onClick={measure}>
              Measure it
            </Button>
          )}
        </>
      )}
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
