import type { PlacedPart, Reach } from '@pannet/core/comparing/among-parts';
import { families } from '@pannet/core/song/song';
import { useSize } from '../controls/use-size.ts';
import { familyMarks } from '../parts/family-marks.tsx';
import { useSong } from '../session/use-open-song.ts';

const lowestHz = 22;
const highestHz = 18_000;
const margin = { left: 46, right: 16, top: 24, bottom: 14 };
const ticks = [50, 100, 200, 500, 1000, 2000, 5000, 10_000];
/** A line is drawn so wide. */
const leastWidth = 5;

interface Props {
  readonly parts: readonly PlacedPart[];
  readonly selected: string | null;
  readonly onSelect: (partId: string) => void;
}

/** Parts as outlines: across from L to R, up the frequencies. */
export function OutlineDrawing({ parts, selected, onSelect }: Props) {
  const song = useSong();
  const { ref, width, height } = useSize<HTMLDivElement>();
  const x = (place: number) =>
    margin.left + ((place + 1) / 2) * (width - margin.left - margin.right);
  const y = (hz: number) => {
    const share = Math.log(hz / lowestHz) / Math.log(highestHz / lowestHz);
    return height - margin.bottom - share * (height - margin.top - margin.bottom);
  };
  const labels = placedLabels(parts, y);
  return (
    <div ref={ref} className="among-drawing">
      {width > 0 && (
        <svg
          width={width}
          height={height}
          role="group"
          aria-label="Parts from L to R and by frequency"
        >
          {ticks.map((hz) => (
            <g key={hz}>
              <path d={`M${x(-1)} ${y(hz)}H${x(1)}`} stroke="var(--rule)" strokeDasharray="2 3" />
              <text
                x={margin.left - 6}
                y={y(hz) + 4}
                fontSize={12}
                textAnchor="end"
                fill="var(--quiet)"
              >
                {hz >= 1000 ? `${hz / 1000}k` : hz}
              </text>
            </g>
          ))}
          <path
            d={`M${x(0)} ${margin.top}V${height - margin.bottom}`}
            stroke="var(--edge)"
            strokeDasharray="8 3 2 3"
          />
          <text x={x(-1)} y={16} fontSize={13} fontWeight={600} fill="var(--left)">
            L
          </text>
          <text x={x(1)} y={16} fontSize={13} fontWeight={600} textAnchor="end" fill="var(--right)">
            R
          </text>
          <text x={margin.left - 6} y={16} fontSize={12} textAnchor="end" fill="var(--quiet)">
            Hz
          </text>
          {parts.map((part) => {
            const { family } = song.parts[part.id] ?? { family: families[0] };
            const { tint } = familyMarks[family];
            const strong = part.id === selected;
            const label = labels.get(part.id);
            return (
              <g
                key={part.id}
                className="outline"
                role="button"
                tabIndex={0}
                aria-label={`${part.name}${strong ? ', selected' : ''}`}
                onClick={() => onSelect(part.id)}
                onKeyDown={(event) => {
                  if (event.key !== 'Enter') return;
                  event.preventDefault();
                  onSelect(part.id);
                }}
              >
                <path
                  d={outline(part.reaches, x, y)}
                  fill={tint}
                  fillOpacity={strong ? 0.28 : 0.1}
                  stroke={tint}
                  strokeWidth={strong ? 2.5 : 1.2}
                  // A room is no part.
                  strokeDasharray={Object.hasOwn(song.parts, part.id) ? undefined : '5 3'}
                  strokeLinejoin="round"
                />
                {label && (
                  <text
                    x={x(label.place)}
                    y={label.y}
                    fontSize={12}
                    fontWeight={strong ? 600 : 400}
                    textAnchor={label.place > 0.6 ? 'end' : label.place < -0.6 ? 'start' : 'middle'}
                    className="outline-label"
                  >
                    {part.name}
                  </text>
                )}
              </g>
            );
          })}
        </svg>
      )}
    </div>
  );
}

/** Up the left edges and down the right ones. */
function outline(
  reaches: readonly Reach[],
  x: (place: number) => number,
  y: (hz: number) => number,
): string {
  if (reaches.length === 0) return '';
  const edges = reaches.map(({ hz, from, to }) => {
    const [left, right] = [x(from), x(to)];
    const spare = Math.max(0, leastWidth - (right - left)) / 2;
    return { y: y(hz), left: left - spare, right: right + spare };
  });
  const up = edges.map((edge) => `${edge.left} ${edge.y}`);
  const down = edges.toReversed().map((edge) => `${edge.right} ${edge.y}`);
  return `M${[...up, ...down].join('L')}Z`;
}

const lineHeight = 15;

/** Each name at the part's strongest band, on its far edge; names that would lie on each other move down. */
function placedLabels(
  parts: readonly PlacedPart[],
  y: (hz: number) => number,
): ReadonlyMap<string, { readonly place: number; readonly y: number }> {
  const labels = new Map<string, { place: number; y: number }>();
  for (const [n, part] of parts.entries()) {
    if (part.reaches.length === 0) continue;
    const strongest = part.reaches.reduce((best, reach) =>
      reach.power > best.power ? reach : best,
    );
    // In turn on the left and on the right edge, so that they spread.
    const place = n % 2 ? strongest.to : strongest.from;
    let at = y(strongest.hz);
    const near = (label: { place: number; y: number }) =>
      Math.abs(label.place - place) < 0.4 && Math.abs(label.y - at) < lineHeight;
    while ([...labels.values()].some(near)) at += lineHeight;
    labels.set(part.id, { place, y: at });
  }
  return labels;
}
