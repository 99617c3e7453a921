import { definitions, type Definition, type Figure } from '@pannet/core/measurement/definitions';
import OverlayTrigger from 'react-bootstrap/OverlayTrigger';
import Popover from 'react-bootstrap/Popover';

interface Props {
  readonly figure: Figure;
  /** If the figure's own is too long. */
  readonly label?: string;
  readonly className?: string;
}

/** The name of a figure; pressed, it says in two sentences what that is, and from where. */
export function FigureLabel({ figure, label, className = 'figure-label' }: Props) {
  const definition: Definition = definitions[figure];
  return (
    <OverlayTrigger
      trigger="click"
      rootClose
      placement="auto"
      overlay={
        <Popover>
          <Popover.Header as="h3" className="h6 m-0">
            {definition.label}
            {definition.unit && <span className="quiet"> · {definition.unit}</span>}
          </Popover.Header>
          <Popover.Body>
            <p className="mb-1">{definition.text}</p>
            <p className="quiet small m-0">{definition.source}</p>
          </Popover.Body>
        </Popover>
      }
    >
      <button type="button" className={className} title={definition.text}>
        {label ?? definition.label}
      </button>
    </OverlayTrigger>
  );
}
