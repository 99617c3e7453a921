import { echoThresholdMs } from '@pannet/core/findings/source-findings';
import { sourceOf } from '@pannet/core/song/fitting-recipes';
import type { Part } from '@pannet/core/song/song';
import { useSize } from '../controls/use-size.ts';
import { useRate, useSong } from '../session/use-open-song.ts';
import { dimensionFigures, Dimensions, Ground } from './PlacementGround.tsx';
import { labelColumn, placeVoices } from './placement-bars.ts';
import { placeLabels, type Wish } from './placement-labels.ts';
import type { Box } from './placement-scale.ts';
import { VoiceBar } from './VoiceBar.tsx';

/** Across: position, with L and R as rails. Down: arrival. Every voice is a bar to be dragged, with its figures beside it. */
export function PlacementDrawing({ part }: { readonly part: Part }) {
  const { ref, width, height } = useSize<HTMLDivElement>();
  const song = useSong();
  const box: Box = { width, height, echoMs: echoThresholdMs(sourceOf(song, part)) };
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

function Voices({ part, box }: { readonly part: Part; readonly box: Box }) {
  const rateHz = useRate();
  const placed = placeVoices(part.image.voices, box, rateHz);
  const wishes = placed.map((entry): Wish => ({
    id: entry.voice.id,
    column: labelColumn(entry),
    // The line that joins both sides of a voice runs at its own height: the label stands under it.
    y: entry.side === 'both' ? entry.y + 18 : entry.y,
  }));
  const labelY = placeLabels(wishes, dimensionFigures(part, box, rateHz), box.height);
  return (
    <g>
      {placed.map((entry) => (
        <VoiceBar
          key={entry.voice.id}
          part={part}
          box={box}
          placed={entry}
          labelY={labelY.get(entry.voice.id) ?? entry.y}
        />
      ))}
    </g>
  );
}
