import { clampParameter, type Parameter } from '@pannet/core/parameters/parameter';
import { useRef } from 'react';
import Form from 'react-bootstrap/Form';
import { isMoved } from './range.ts';

interface Props {
  readonly parameter: Parameter;
  readonly value: number;
  readonly label?: string;
  readonly disabled?: boolean;
  readonly onPreview: (value: number) => void;
  readonly onCommit: (value: number) => void;
}

/** Steps of a slider that goes by octaves. */
const octaveSteps = 240;

/** A parameter as a line with a mark on it: one drag or one press of a key is one step of undo. */
export function Slider({ parameter, value, label, disabled, onPreview, onCommit }: Props) {
  const moving = useRef<number | null>(null);
  const finish = () => {
    if (moving.current === null) return;
    onCommit(moving.current);
    moving.current = null;
  };
  const { min, max, step, scale, unit } = parameter;
  const byOctaves = scale === 'log';
  const octaves = Math.log2(max / min);
  const valueAt = (place: number) =>
    byOctaves
      ? clampParameter(
          parameter,
          Number((min * 2 ** ((place / octaveSteps) * octaves)).toPrecision(3)),
        )
      : place;
  return (
    <Form.Range
      aria-label={label ?? parameter.label}
      aria-valuetext={`${value} ${unit}`}
      min={byOctaves ? 0 : min}
      max={byOctaves ? octaveSteps : max}
      step={byOctaves ? 1 : step}
      value={byOctaves ? (Math.log2(value / min) / octaves) * octaveSteps : value}
      disabled={disabled}
      onChange={(event) => {
        if (!isMoved(event)) return;
        moving.current = valueAt(Number(event.target.value));
        onPreview(moving.current);
      }}
      onPointerUp={finish}
      onKeyUp={finish}
      onBlur={finish}
      onDoubleClick={() => {
        moving.current = null;
        onCommit(parameter.default);
      }}
    />
  );
}
