import { useEffect, useRef } from 'react';
import { styleOf } from '../controls/inks.ts';
import { sharpContext } from '../controls/sharp-context.ts';
import { drawnWithView } from '../waves/drawn-with-view.ts';
import { useOpenSong } from '../session/use-open-song.ts';
import { drawMove, laneHeight, type DrawnMove } from './move-line.ts';

interface Props extends DrawnMove {
  readonly width: number;
  /** While it is not on the screen, what was drawn last stays. */
  readonly visible: boolean;
  readonly chosen: number | null;
}

/** The line of a move with its points, over what else is in its lane. It follows what is shown of the song by itself, as waves do. */
export function MoveLine({ curve, parameter, axis, rateHz, tempo, width, visible, chosen }: Props) {
  const { timeView } = useOpenSong();
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    if (!visible) return;
    return drawnWithView(timeView, (view) => {
      const context = sharpContext(canvas.current, width, laneHeight);
      if (!context) return;
      drawMove(context, { curve, parameter, axis, rateHz, tempo }, view, width, chosen, {
        line: styleOf('--ink'),
        band: styleOf('--quiet'),
        chosen: styleOf('--breaks'),
      });
    });
  }, [visible, timeView, curve, parameter, axis, rateHz, tempo, width, chosen]);
  return (
    <canvas ref={canvas} className="move-line" style={{ width, height: laneHeight }} aria-hidden />
  );
}
