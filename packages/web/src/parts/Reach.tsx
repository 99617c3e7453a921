import { useEffect, useRef } from 'react';
import { sharpContext } from '../controls/sharp-context.ts';
import { useOpenSong } from '../song/open-song.ts';

const width = 56;
const height = 22;
/** How much of the picture before is kept with each look: some 150 ms of memory. */
const memory = 0.89;

/** Where a part's energy lies, L to R, live: a line as wide as it reaches, round where it leans. */
export function Reach({ row }: { readonly row: number }) {
  const { playback } = useOpenSong();
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const context = sharpContext(canvas.current, width, height);
    if (!context) return;
    const held = [0, 0, 0];
    const style = getComputedStyle(context.canvas);
    const [edge, ink] = ['--edge', '--ink'].map((name) => style.getPropertyValue(name));
    const draw = () => {
      context.clearRect(0, 0, width, height);
      context.strokeStyle = edge;
      context.lineWidth = 1;
      context.beginPath();
      context.moveTo(0.5, 6);
      context.lineTo(0.5, 16);
      context.moveTo(width - 0.5, 6);
      context.lineTo(width - 0.5, 16);
      context.moveTo(width / 2, 8);
      context.lineTo(width / 2, 14);
      context.stroke();
      const [left, right, cross] = held;
      const both = left + right;
      if (both < 1e-6) return;
      const middle = both + 2 * cross;
      const side = Math.max(0, both - 2 * cross);
      const centre = (right - left) / both;
      const spread = Math.sqrt(side / Math.max(1e-9, middle + side));
      const from = Math.max(-1, centre - spread);
      const to = Math.min(1, centre + spread);
      const x = (place: number) => ((place + 1) / 2) * (width - 4) + 2;
      context.strokeStyle = ink;
      context.lineWidth = 3;
      context.beginPath();
      context.moveTo(x(from) - 1, 11);
      context.lineTo(x(to) + 1, 11);
      context.stroke();
    };
    draw();
    return playback.onSeen(({ sums }) => {
      for (let n = 0; n < 3; n++)
        held[n] = held[n] * memory + (sums[3 * row + n] ?? 0) * (1 - memory);
      draw();
    });
  }, [playback, row]);
  return (
    <canvas
      ref={canvas}
      style={{ width, height }}
      role="img"
      aria-label="Reach from left to right"
      title="Reach: where its energy lies, L to R"
    />
  );
}
