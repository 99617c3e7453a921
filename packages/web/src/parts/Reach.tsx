import { useEffect, useRef } from 'react';
import { useOpenSong } from '../session/use-open-song.ts';

const width = 56;
const height = 22;
/** How much of what was there is kept with each look: some 150 ms of memory. */
const memory = 0.89;
/** So many looks between two drawings: there are as many of these as parts, and each is small. */
const looksPerDrawing = 2;

/** Where a part's energy lies, L to R, live: a line as wide as it reaches, round where it leans. */
export function Reach({ row }: { readonly row: number }) {
  const { playback } = useOpenSong();
  const line = useRef<HTMLDivElement>(null);
  useEffect(() => {
    const held = [0, 0, 0];
    let looks = 0;
    let drawn = '';
    return playback.onSeen(({ sums }) => {
      for (let n = 0; n < 3; n++)
        held[n] = held[n] * memory + (sums[3 * row + n] ?? 0) * (1 - memory);
      if (++looks % looksPerDrawing > 0 || !line.current) return;
      const next = transformOf(held[0], held[1], held[2]);
      // Most parts are silent or stand still most of the time.
      if (next === drawn) return;
      drawn = next;
      line.current.style.transform = next;
    });
  }, [playback, row]);
  return (
    <div
      className="reach"
      style={{ width, height }}
      role="img"
      aria-label="Reach from left to right"
      title="Reach: where its energy lies, L to R"
    >
      <svg width={width} height={height} aria-hidden>
        <path
          d={`M0.5 6V16M${width - 0.5} 6V16M${width / 2} 8V14`}
          stroke="var(--edge)"
          fill="none"
        />
      </svg>
      <div ref={line} className="reach-line" style={{ transform: 'scaleX(0)' }} />
    </div>
  );
}

/** From Σl², Σr² and Σlr, to half a pixel: the line is a pixel wide before it is drawn out. */
export function transformOf(left: number, right: number, cross: number): string {
  const both = left + right;
  if (both < 1e-6) return 'scaleX(0)';
  const middle = both + 2 * cross;
  const side = Math.max(0, both - 2 * cross);
  const centre = (right - left) / both;
  const spread = Math.sqrt(side / Math.max(1e-9, middle + side));
  const x = (place: number) =>
    Math.round(2 * (((Math.max(-1, Math.min(1, place)) + 1) / 2) * (width - 4) + 2)) / 2;
  const from = x(centre - spread) - 1;
  const to = x(centre + spread) + 1;
  return `translateX(${from}px) scaleX(${to - from})`;
}
