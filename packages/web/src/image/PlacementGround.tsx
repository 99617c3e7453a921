import type { Part } from '@pannet/core/song/song';
import { delayInMs } from '@pannet/core/voices/voice';
import { useRate } from '../session/use-open-song.ts';
import { sideOf, type Side } from './placement-bars.ts';
import type { Taken } from './placement-labels.ts';
import {
  arrivalBands,
  axisX,
  bandTop,
  fieldLeft,
  fieldRight,
  leftRail,
  railWidth,
  rightRail,
  scaleWidth,
  yOfMs,
  type Box,
} from './placement-scale.ts';
import { bothDelayFigures } from './voice-edits.ts';

/** Rails, axis, and the scale of arrival with its bands. */
export function Ground({ box }: { readonly box: Box }) {
  const bands = arrivalBands(box);
  const bottom = box.height - 10;
  return (
    <g aria-hidden>
      {[leftRail(), rightRail(box)].map((x) => (
        <rect
          key={x}
          x={x}
          y={24}
          width={railWidth}
          height={bottom - 24}
          fill="var(--sheet)"
          stroke="var(--edge)"
        />
      ))}
      <text
        x={leftRail() + railWidth / 2}
        y={16}
        textAnchor="middle"
        fontWeight={600}
        fill="var(--left)"
      >
        L
      </text>
      <text
        x={rightRail(box) + railWidth / 2}
        y={16}
        textAnchor="middle"
        fontWeight={600}
        fill="var(--right)"
      >
        R
      </text>
      <path d={`M${axisX(box)} 20V${bottom}`} stroke="var(--edge)" strokeDasharray="8 3 2 3" />
      <text x={axisX(box)} y={16} textAnchor="middle" fontSize={12} fill="var(--quiet)">
        middle
      </text>
      {bands.map((band, n) => (
        <g key={band.name}>
          {n > 0 && <Break y={bandTop(n, box)} box={box} />}
          <text
            transform={`translate(11 ${(bandTop(n, box) + (n + 1 < bands.length ? bandTop(n + 1, box) : bottom)) / 2}) rotate(-90)`}
            textAnchor="middle"
            fontSize={12}
            fill="var(--quiet)"
          >
            {band.name}
          </text>
          {band.ticks.map((tick) => (
            <g key={tick}>
              <path d={`M${scaleWidth - 5} ${yOfMs(tick, box)}h5`} stroke="var(--edge)" />
              <text
                x={scaleWidth - 8}
                y={yOfMs(tick, box) + 4}
                textAnchor="end"
                fontSize={12}
                fill="var(--quiet)"
                className="mono"
              >
                {tick < 0 ? `−${-tick}` : tick}
              </text>
            </g>
          ))}
        </g>
      ))}
      <text x={scaleWidth - 8} y={15} textAnchor="end" fontSize={12} fill="var(--quiet)">
        ms
      </text>
    </g>
  );
}

/** The scale changes here: a line with a jog in it. */
function Break({ y, box }: { readonly y: number; readonly box: Box }) {
  const left = fieldLeft();
  const right = fieldRight(box);
  return (
    <path
      d={`M${left} ${y}H${left + 14}l3 -4 4 8 3 -4H${right - 24}l3 -4 4 8 3 -4H${right}`}
      fill="none"
      stroke="var(--rule)"
    />
  );
}

interface Pair {
  readonly id: string;
  readonly yLeft: number;
  readonly yRight: number;
  readonly differenceMs: number;
  /** The first pair's figure stands right of the axis, the second one's left of it. */
  readonly column: 'left' | 'right';
}

/** The first left and the first right voice, and the second ones. */
function pairs(part: Part, box: Box, rateHz: number): Pair[] {
  const heard = part.image.voices.filter((voice) => !voice.muted);
  const on = (side: Side) => heard.filter((voice) => sideOf(voice) === side);
  const rights = on('right');
  return on('left')
    .slice(0, 2)
    .flatMap((left, n): Pair[] => {
      if (!rights[n]) return [];
      const [a, b] = [left, rights[n]].map((voice) => delayInMs(voice.delay, rateHz));
      return [
        {
          id: left.id,
          yLeft: yOfMs(a, box),
          yRight: yOfMs(b, box),
          differenceMs: Math.abs(b - a),
          column: n === 0 ? 'right' : 'left',
        },
      ];
    });
}

const middleOf = ({ yLeft, yRight }: Pair) => (yLeft + yRight) / 2;

/** Where the figures of the dimension lines stand: no label may lie there. */
export function dimensionFigures(part: Part, box: Box, rateHz: number): Taken[] {
  return pairs(part, box, rateHz).map((pair) => ({
    column: pair.column,
    from: middleOf(pair) - 9,
    to: middleOf(pair) + 8,
  }));
}

/** The difference in arrival between paired voices. */
export function Dimensions({ part, box }: { readonly part: Part; readonly box: Box }) {
  const rateHz = useRate();
  return (
    <g aria-hidden>
      {pairs(part, box, rateHz).map((pair) => {
        const { id, yLeft, yRight, differenceMs } = pair;
        const towards = pair.column === 'right' ? 1 : -1;
        const x = axisX(box) + towards * 10;
        const delay = { value: Number(differenceMs.toFixed(4)), unit: 'ms' } as const;
        return (
          <g key={id} stroke="var(--ink)" strokeWidth={0.75} fill="none">
            <path
              d={`M${fieldLeft() + 2} ${yLeft}H${x + 4}M${fieldRight(box) - 2} ${yRight}H${x - 4}`}
              stroke="var(--edge)"
              strokeDasharray="1 3"
            />
            {differenceMs > 0 && (
              <path
                d={`M${x} ${yLeft}V${yRight}M${x - 4} ${yLeft + 4}l8 -8M${x - 4} ${yRight + 4}l8 -8`}
              />
            )}
            <text
              x={x + towards * 8}
              y={middleOf(pair) + 4}
              textAnchor={towards > 0 ? 'start' : 'end'}
              fontSize={12}
              className="mono"
              stroke="var(--paper)"
              strokeWidth={4}
              paintOrder="stroke"
              fill="var(--ink)"
            >
              {differenceMs > 0 ? bothDelayFigures(delay, rateHz) : 'together'}
            </text>
          </g>
        );
      })}
    </g>
  );
}
