import { lazy, Suspense, useState } from 'react';
import Button from 'react-bootstrap/Button';
import { useOpenSong } from '../session/use-open-song.ts';
import type { SaferProps } from './SearchDialog.tsx';

const SearchDialog = lazy(() =>
  import('./SearchDialog.tsx').then(({ SearchDialog: dialog }) => ({ default: dialog })),
);

/** A search for a setting that folds better and is as wide. */
export function SaferSetting({ part, measures }: SaferProps) {
  const open = useOpenSong();
  const [shown, setShown] = useState(false);
  const close = () => {
    open.mender.stopSearch();
    setShown(false);
  };
  return (
    <div className="border-top py-2">
      <Button
        size="sm"
        variant="outline-primary"
        disabled={part.image.voices.length < 2}
        title="Looks for delays, tuning, polarity and placement that fold better and are as wide"
        onClick={() => setShown(true)}
      >
        Find a safer setting …
      </Button>
      {shown && (
        <Suspense>
          <SearchDialog part={part} measures={measures} onClose={close} />
        </Suspense>
      )}
    </div>
  );
}
