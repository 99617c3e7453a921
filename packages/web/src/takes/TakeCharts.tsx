import { thirdOctaveBands } from '@pannet/core/measurement/bands';
import { compressorParameters } from '@pannet/core/parameters/tables';
import { figure, signedFigure } from '@pannet/core/quantities/wording';
import type { Part, Take } from '@pannet/core/song/song';
import { shareOver } from '@pannet/core/takes/portrait';
import { useState } from 'react';
import { CartesianGrid, Line, LineChart, ReferenceLine, XAxis, YAxis } from 'recharts';
import { hzAxis } from '../controls/hz-axis.ts';
import { useSize } from '../controls/use-size.ts';
import { useRate } from '../session/use-open-song.ts';
import type { TimeView } from '../waves/time-view.ts';
import type { TakeFigures } from './takes-question.ts';

interface Props {
  readonly part: Part;
  readonly reference: Take;
  readonly view: TimeView;
  readonly figuresOf: (take: Take) => TakeFigures | null;
}

const height = 150;
const tick = { fontSize: 12, fill: 'var(--quiet)' };
const margin = { top: 4, right: 8, bottom: 0, left: 0 };

/** All takes' spectra over each other, and the loudness of the reference and one other along what is seen. */
export function TakeCharts({ part, reference, view, figuresOf }: Props) {
  const rateHz = useRate();
  const { ref, width } = useSize<HTMLDivElement>();
  const others = part.takes.filter(({ id }) => id !== reference.id);
  const [chosenId, setChosenId] = useState<string | null>(null);
  const other = others.find(({ id }) => id === chosenId) ?? others.at(0) ?? null;
  const known = part.takes.flatMap((take) => {
    const figures = figuresOf(take);
    return figures ? [{ take, portrait: figures.portrait }] : [];
  });
  const of = (take: Take | null) => known.find((one) => one.take.id === take?.id) ?? null;
  const [mine, theirs] = [of(reference), of(other)];
  const styleOf = (take: Take) =>
    take.id === reference.id
      ? { stroke: 'var(--ink)', strokeWidth: 1.75 }
      : take.id === other?.id
        ? { stroke: 'var(--breaks)', strokeWidth: 1.75 }
        : { stroke: 'var(--edge)', strokeWidth: 1 };
  const bands = thirdOctaveBands(rateHz);
  const spectra = bands.map(({ centreHz }, n) => ({
    hz: centreHz,
    ...Object.fromEntries(
      known.map(({ take, portrait }) => {
        const db = portrait.bandsDb[n];
        return [take.id, db === null ? null : db + take.levelDb];
      }),
    ),
  }));
  const highest = known.reduce(
    (most, { take, portrait }) =>
      portrait.bandsDb.reduce<number>((m, db) => Math.max(m, (db ?? -200) + take.levelDb), most),
    -60,
  );
  const top = 6 * Math.ceil(highest / 6);
  const everyS = mine?.portrait.everyS ?? 0.4;
  const points = Math.max(
    mine?.portrait.loudness.length ?? 0,
    theirs?.portrait.loudness.length ?? 0,
  );
  const loudness = Array.from({ length: points }, (_, n) => ({
    seconds: (n + 0.5) * everyS,
    mine: raised(mine?.portrait.loudness[n], reference),
    theirs: raised(theirs?.portrait.loudness[n], other),
  }));
  const { thresholdDb } = part.preparation.compressor;
  const threshold = thresholdDb ?? compressorParameters.thresholdDb.default;
  const each = Math.max(200, (width - 24) / 2);
  const label = 'Spectra and loudness of the takes';
  // The same element as later: its size is measured when it is first there.
  if (known.length === 0)
    return (
      <section ref={ref} className="take-charts" aria-label={label}>
        <p className="quiet p-2 m-0">The takes are being measured: their spectra follow.</p>
      </section>
    );
  return (
    <section ref={ref} className="take-charts" aria-label={label}>
      <figure>
        <LineChart width={each} height={height} data={spectra} margin={margin}>
          <CartesianGrid stroke="var(--rule)" strokeDasharray="2 3" vertical={false} />
          <XAxis {...hzAxis} />
          <YAxis
            width={36}
            type="number"
            domain={[top - 60, top]}
            ticks={[top - 48, top - 24, top]}
            tickFormatter={(value: number) => figure(value, 0)}
            tick={tick}
            stroke="var(--edge)"
            allowDataOverflow
          />
          {[...known]
            // What is looked at lies on top.
            .sort(
              (a, b) => Number(styleOf(a.take).strokeWidth) - Number(styleOf(b.take).strokeWidth),
            )
            .map(({ take }) => (
              <Line
                key={take.id}
                dataKey={take.id}
                {...styleOf(take)}
                dot={false}
                connectNulls
                isAnimationActive={false}
              />
            ))}
        </LineChart>
        <figcaption className="quiet small">
          dBFS by third octave · <b>▬</b> {reference.name}
          {other && (
            <>
              {' · '}
              <span style={{ color: 'var(--breaks)' }}>▬</span> {other.name}
              {others.length > 1 && ' · thin: the others'}
            </>
          )}
          {mine && theirs && other && (
            <>
              {' · '}
              {lowContent(spectra, reference.id, other.id)}
            </>
          )}
        </figcaption>
      </figure>
      <figure>
        <LineChart width={each} height={height} data={loudness} margin={margin}>
          <CartesianGrid stroke="var(--rule)" strokeDasharray="2 3" vertical={false} />
          <XAxis
            dataKey="seconds"
            type="number"
            domain={[view.from / rateHz, view.to / rateHz]}
            tickFormatter={(value: number) => figure(value, 0)}
            tick={tick}
            stroke="var(--edge)"
            allowDataOverflow
          />
          <YAxis
            width={36}
            type="number"
            domain={[-60, 0]}
            ticks={[-48, -24, 0]}
            tickFormatter={(value: number) => figure(value, 0)}
            tick={tick}
            stroke="var(--edge)"
            allowDataOverflow
          />
          <ReferenceLine y={threshold} stroke="var(--quiet)" strokeDasharray="4 3" />
          <Line
            dataKey="mine"
            stroke="var(--ink)"
            strokeWidth={1.5}
            dot={false}
            isAnimationActive={false}
          />
          <Line
            dataKey="theirs"
            stroke="var(--breaks)"
            strokeWidth={1.5}
            dot={false}
            isAnimationActive={false}
          />
        </LineChart>
        <figcaption className="quiet small">
          LUFS along the song, with{' '}
          {others.length > 1 ? (
            <select
              className="plain-select"
              aria-label="Take over the reference"
              value={other?.id}
              onChange={(event) => setChosenId(event.target.value)}
            >
              {others.map(({ id, name }) => (
                <option key={id} value={id}>
                  {name}
                </option>
              ))}
            </select>
          ) : (
            (other?.name ?? 'no other take')
          )}{' '}
          · ╍ {figure(threshold, 0)} dB, the compressor&apos;s
          {thresholdDb === null ? ' usual threshold' : ' threshold'}
          {mine && theirs && other && (
            <>
              : over it {percent(shareOver(mine.portrait, threshold - reference.levelDb))} and{' '}
              {percent(shareOver(theirs.portrait, threshold - other.levelDb))} of the time
            </>
          )}
        </figcaption>
      </figure>
    </section>
  );
}

function raised(lufs: number | null | undefined, take: Take | null): number | null {
  return lufs === null || lufs === undefined || !take ? null : lufs + take.levelDb;
}

function percent(share: number): string {
  return `${figure(100 * share, 0)} %`;
}

const lowHz = 160;

/** How much more low content a take has than the reference: what there is to cut. */
function lowContent(
  spectra: readonly Record<string, number | null>[],
  reference: string,
  other: string,
): string {
  const low = (id: string) => {
    const power = spectra
      .filter(({ hz }) => (hz ?? Infinity) < lowHz)
      .reduce((sum, row) => sum + (row[id] === null ? 0 : 10 ** ((row[id] ?? -200) / 10)), 0);
    return 10 * Math.log10(Math.max(1e-20, power));
  };
  const apart = low(other) - low(reference);
  return low(other) < -100 && low(reference) < -100
    ? `nothing below ${lowHz} Hz`
    : `${signedFigure(apart, 1)} dB below ${lowHz} Hz`;
}
