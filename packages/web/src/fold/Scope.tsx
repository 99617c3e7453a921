import { useEffect, useRef } from 'react';
import { sharpContext } from '../controls/sharp-context.ts';
import { useOpenSong } from '../song/open-song.ts';

const width = 280;
const height = 88;
/** How much of the older picture stays with each new one. */
const decay = 0.86;

/** L and R turned by 45°: a line upright is mono, one lying is all difference; the past fades. */
export function Scope() {
  const { playback } = useOpenSong();
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const context = sharpContext(canvas.current, width, height);
    if (!context) return;
    const still = matchMedia('(prefers-reduced-motion: reduce)').matches;
    const trail: Float32Array[] = [];
    let peak = 0.05;
    const draw = () => {
      const style = getComputedStyle(context.canvas);
      const colour = (name: string) => style.getPropertyValue(name);
      const [x, y] = [width / 2, height / 2];
      const reach = height / 2 - 6;
      context.clearRect(0, 0, width, height);
      context.strokeStyle = colour('--rule');
      context.beginPath();
      context.moveTo(x, 4);
      context.lineTo(x, height - 4);
      context.moveTo(x - reach, y + reach);
      context.lineTo(x + reach, y - reach);
      context.moveTo(x + reach, y + reach);
      context.lineTo(x - reach, y - reach);
      context.stroke();
      context.font = '600 12px "Source Sans 3"';
      context.fillStyle = colour('--left');
      context.fillText('L', x - reach - 12, y - reach + 10);
      context.fillStyle = colour('--right');
      context.fillText('R', x + reach + 6, y - reach + 10);
      context.fillStyle = colour('--ink');
      for (const [age, scope] of trail.entries()) {
        context.globalAlpha = decay ** (trail.length - 1 - age);
        for (let n = 0; n < scope.length; n += 2) {
          const side = (scope[n + 1] - scope[n]) / 2 / peak;
          const middle = (scope[n] + scope[n + 1]) / 2 / peak;
          context.fillRect(x + side * reach - 0.6, y - middle * reach - 0.6, 1.3, 1.3);
        }
      }
      context.globalAlpha = 1;
    };
    draw();
    return playback.onSeen(({ scope, state }) => {
      if (state !== 'playing') {
        if (trail.length > 0) {
          trail.length = 0;
          draw();
        }
        return;
      }
      let size = 0;
      for (let n = 0; n < scope.length; n++) size = Math.max(size, Math.abs(scope[n]));
      // The scale follows slowly, so that soft passages can be read as well.
      peak = Math.max(0.02, size, peak * 0.985);
      trail.push(scope);
      if (trail.length > (still ? 1 : 12)) trail.shift();
      draw();
    });
  }, [playback]);
  return (
    <canvas
      ref={canvas}
      style={{ width, height, display: 'block' }}
      role="img"
      aria-label="Scope of the selected part: left against right, turned by 45 degrees"
    />
  );
}
