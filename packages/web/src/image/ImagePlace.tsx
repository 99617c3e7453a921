import { writeImageFile } from '@pannet/core/image/image-file';
import type { Part } from '@pannet/core/song/song';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import { download } from '../handoff/export-run.ts';
import { useSelectedPart, useSong } from '../song/open-song.ts';
import { PlacementDrawing } from './PlacementDrawing.tsx';
import { RecipeList } from './RecipeList.tsx';
import { StagePanel } from './StagePanel.tsx';
import { VoiceTable } from './VoiceTable.tsx';

/** The main place: where the voices of the selected part stand, and what is done to their sum. */
export function ImagePlace({ onExport }: { readonly onExport: () => void }) {
  const part = useSelectedPart();
  if (!part) return <p className="empty">Choose a part at the left.</p>;
  return (
    <div className="image-place" key={part.id}>
      <PlacementDrawing part={part} />
      <Side part={part} onExport={onExport} />
      <VoiceTable part={part} />
    </div>
  );
}

/** Whether a part still sounds as it came. */
function isUntouched(part: Part): boolean {
  const { voices, stage } = part.image;
  const [voice] = voices;
  return (
    voices.length === 1 &&
    voice.placement.kind === 'pan' &&
    voice.placement.panPercent === 0 &&
    voice.delay.value === 0 &&
    stage.widthPercent === 100
  );
}

function Side({ part, onExport }: { readonly part: Part; readonly onExport: () => void }) {
  const song = useSong();
  const untouched = isUntouched(part);
  const [asked, setAsked] = useState<'recipes' | 'stage' | null>(null);
  const shown = asked ?? (untouched ? 'recipes' : 'stage');
  const saveImage = () => {
    const file = writeImageFile({ panLaw: song.panLaw, image: part.image });
    const blob = new Blob([`${JSON.stringify(file, null, 2)}\n`], { type: 'application/json' });
    download(blob, `${part.name}.pannet-image.json`);
  };
  return (
    <section className="stage-panel" aria-label="Recipes and stage">
      <div className="listening w-100 mb-2">
        {(['recipes', 'stage'] as const).map((name) => (
          <button
            key={name}
            type="button"
            className="flex-grow-1"
            aria-pressed={shown === name}
            onClick={() => setAsked(name)}
          >
            {name === 'recipes' ? 'Recipes' : 'Stage'}
          </button>
        ))}
      </div>
      {shown === 'recipes' ? (
        <RecipeList part={part} onApplied={() => setAsked('stage')} />
      ) : (
        <StagePanel part={part} />
      )}
      <div className="d-grid gap-1 mt-3">
        <Button size="sm" variant="outline-primary" onClick={onExport}>
          Export this part
        </Button>
        <Button size="sm" variant="outline-primary" onClick={saveImage}>
          Save image file
        </Button>
      </div>
    </section>
  );
}
