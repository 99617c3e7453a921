import { takesForFile, withImpulses, writeImageFile } from '@pannet/core/image/image-file';
import { isUntouched } from '@pannet/core/image/image';
import type { Part } from '@pannet/core/song/song';
import { lazy, Suspense, useState } from 'react';
import Button from 'react-bootstrap/Button';
import { download } from '../handoff/export-run.ts';
import {
  usePanLaw,
  useRate,
  useRecordings,
  useSelectedPart,
  useSession,
} from '../session/use-open-song.ts';
import { PlacementDrawing } from './PlacementDrawing.tsx';
import { RecipeList } from './RecipeList.tsx';
import { StagePanel } from './StagePanel.tsx';
import { VoiceTable } from './VoiceTable.tsx';
import './image.scss';

// What is not seen at once comes when it is asked for.
const TakePanel = lazy(() =>
  import('./TakePanel.tsx').then(({ TakePanel: panel }) => ({ default: panel })),
);
const CarryOverDialog = lazy(() =>
  import('./CarryOverDialog.tsx').then(({ CarryOverDialog: dialog }) => ({ default: dialog })),
);

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

const panels = {
  recipes: { name: 'Recipes', Panel: RecipeList },
  stage: { name: 'Stage', Panel: StagePanel },
  take: { name: 'Take', Panel: TakePanel },
} as const;

function Side({ part, onExport }: { readonly part: Part; readonly onExport: () => void }) {
  const panLaw = usePanLaw();
  // A part that sounds as it came is in need of a recipe.
  const [shown, setShown] = useState<keyof typeof panels>(
    isUntouched(part.image) ? 'recipes' : 'stage',
  );
  // As it is kept: what is only tried leads nowhere.
  const untouchedYet = useSession(({ song }) => isUntouched((song.parts[part.id] ?? part).image));
  const [before, setBefore] = useState(untouchedYet);
  if (before !== untouchedYet) {
    setBefore(untouchedYet);
    // Its first image leads on to the stage.
    if (!untouchedYet && shown === 'recipes') setShown('stage');
  }
  const [carrying, setCarrying] = useState(false);
  const { Panel } = panels[shown];
  const rateHz = useRate();
  const recordings = useRecordings();
  const saveImage = () => {
    const file = writeImageFile({
      name: null,
      panLaw,
      preparation: part.preparation,
      // A file calls them by the names of their files.
      image: withImpulses(part.image, (hash) => recordings[hash]?.fileName ?? hash),
      takes: takesForFile(part.takes, rateHz),
    });
    const blob = new Blob([`${JSON.stringify(file, null, 2)}\n`], { type: 'application/json' });
    download(blob, `${part.name}.pannet-image.json`);
  };
  return (
    <section className="stage-panel" aria-label="Recipes, stage and take">
      <div className="listening w-100 mb-2" role="group" aria-label="Panel">
        {(Object.keys(panels) as (keyof typeof panels)[]).map((key) => (
          <button
            key={key}
            type="button"
            className="flex-grow-1"
            aria-pressed={shown === key}
            onClick={() => setShown(key)}
          >
            {panels[key].name}
          </button>
        ))}
      </div>
      <Suspense fallback={<p className="quiet">Opening …</p>}>
        <Panel part={part} />
      </Suspense>
      <div className="d-grid gap-1 mt-3">
        <Button size="sm" variant="outline-primary" onClick={onExport}>
          Export this part
        </Button>
        <Button size="sm" variant="outline-primary" onClick={() => setCarrying(true)}>
          Carry over …
        </Button>
        <Button size="sm" variant="outline-primary" onClick={saveImage}>
          Save image file
        </Button>
      </div>
      {carrying && (
        <Suspense>
          <CarryOverDialog part={part} onClose={() => setCarrying(false)} />
        </Suspense>
      )}
    </section>
  );
}
