import type { Part } from '@pannet/core/song/song';
import { useSize } from '../controls/use-size.ts';
import { useSong } from '../song/open-song.ts';
import { Dimensions, Ground } from './PlacementGround.tsx';
import { placeVoices } from './placement-bars.ts';
import { spread, type Box } from './placement-scale.ts';
import { VoiceBar } from './VoiceBar.tsx';

/** Across: position, with L and R as rails. Down: arrival. Every voice is a bar to be dragged, with its figures beside it. */
export function PlacementDrawing({ part }: { readonly part: Part }) {
  const { ref, width, height } = useSize<HTMLDivElement>();
  const box: Box = { width, height };
  return (
    <div ref={ref} className="placement" data-testid="placement">
      {width > 0 && height > 0 && (
        <svg role="group" aria-label={`Placement of the voices of ${part.name}`}>
          <Ground box={box} />
          <Dimensions part={part} box={box} />
          <Voices part={part} box={box} />
        </svg>
      )}
    </div>
  );
}

/** Two lines of figures a voice, and a little air. */
const labelHeight = 30;

function Voices({ part, box }: { readonly part: Part; readonly box: Box }) {
  const rateHz = useSong().rateHz ?? 48_000;
  const placed = placeVoices(part.image.voices, box, rateHz);
  const labelY = new Map<string, number>();
  for (const side of ['left', 'right', 'field', 'mirror'] as const) {
    const group = placed.filter((entry) => entry.side === side);
    const places = spread(
      group.map((entry) => entry.y),
      labelHeight,
    );
    group.forEach((entry, n) => labelY.set(entry.voice.id, places[n]));
  }
  return (
    <g>
      {placed.map((entry) => (
        <VoiceBar
          key={entry.voice.id}
          part={part}
          box={box}
          placed={entry}
          labelY={Math.min(box.height - 22, labelY.get(entry.voice.id) ?? entry.y)}
        />
      ))}
    </g>
  );
}
