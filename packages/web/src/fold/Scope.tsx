import { useEffect, useRef } from 'react';
import { styleOf } from '../controls/inks.ts';
import { sharpContext } from '../controls/sharp-context.ts';
import { useOpenSong } from '../session/use-open-song.ts';

const width = 280;
const height = 88;
const middle = { x: width / 2, y: height / 2 };
const reach = height / 2 - 6;
/** How much of the older picture is taken away with each new one: it is gone after some 200 ms. */
const fading = 0.16;

/** L and R turned by 45°: a line upright is mono, one lying is all difference; the past fades. */
export function Scope() {
  const { playback } = useOpenSong();
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const context = sharpContext(canvas.current, width, height);
    if (!context) return;
    const still = matchMedia('(prefers-reduced-motion: reduce)').matches;
    const ink = styleOf('--ink');
    let peak = 0.05;
    let empty = true;
    /** Only what is new is drawn; what was there is paled as a whole. */
    const draw = (scope: Float32Array) => {
      context.globalCompositeOperation = 'destination-out';
      context.globalAlpha = still ? 1 : fading;
      context.fillRect(0, 0, width, height);
      context.globalCompositeOperation = 'source-over';
      context.globalAlpha = 1;
      context.fillStyle = ink;
      context.beginPath();
      for (let n = 0; n < scope.length; n += 2) {
        const side = (scope[n + 1] - scope[n]) / 2 / peak;
        const mid = (scope[n] + scope[n + 1]) / 2 / peak;
        context.rect(middle.x + side * reach - 0.6, middle.y - mid * reach - 0.6, 1.3, 1.3);
      }
      context.fill();
      empty = false;
    };
    return playback.onSeen(({ scope, state }) => {
      if (state !== 'playing') {
        if (!empty) context.clearRect(0, 0, width, height);
        empty = true;
        return;
      }
      let size = 0;
      for (let n = 0; n < scope.length; n++) size = Math.max(size, Math.abs(scope[n]));
      // The scale follows slowly, so that soft passages can be read as well.
      peak = Math.max(0.02, size, peak * 0.985);
      draw(scope);
    });
  }, [playback]);
  return (
    <div className="scope" style={{ width, height }}>
      <svg width={width} height={height} aria-hidden>
        <path
          d={`M${middle.x} 4V${height - 4}M${middle.x - reach} ${middle.y + reach}l${2 * reach} ${-2 * reach}M${middle.x + reach} ${middle.y + reach}l${-2 * reach} ${-2 * reach}`}
          stroke="var(--rule)"
        />
        <text x={middle.x - reach - 12} y={middle.y - reach + 10} fill="var(--left)">
          L
        </text>
        <text x={middle.x + reach + 6} y={middle.y - reach + 10} fill="var(--right)">
          R
        </text>
      </svg>
      <canvas
        ref={canvas}
        style={{ width, height }}
        role="img"
        aria-label="Scope of the selected part: left against right, turned by 45 degrees"
      />
    </div>
  );
}
