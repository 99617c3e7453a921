import Button from 'react-bootstrap/Button';
import { Progress } from '../controls/Progress.tsx';

interface Props {
  readonly share: number | null;
  readonly label: string;
  readonly onStop: () => void;
}

/** How much of something that is brought is there; nothing where nothing is. */
export function ComingBar({ share, label, onStop }: Props) {
  if (share === null) return null;
  return (
    <div className="d-flex align-items-center gap-2 px-2">
      <Progress share={share} label={label} className="flex-grow-1" />
      <Button size="sm" variant="outline-primary" onClick={onStop}>
        Stop
      </Button>
    </div>
  );
}
