import type { Parameter } from '@pannet/core/parameters/parameter';
import { useRef } from 'react';
import Form from 'react-bootstrap/Form';

interface Props {
  readonly parameter: Parameter;
  readonly value: number;
  readonly label?: string;
  readonly disabled?: boolean;
  readonly onPreview: (value: number) => void;
  readonly onCommit: (value: number) => void;
}

/** A parameter as a line with a mark on it: one drag or one press of a key is one step of undo. */
export function Slider({ parameter, value, label, disabled, onPreview, onCommit }: Props) {
  const moving = useRef<number | null>(null);
  const finish = () => {
    if (moving.current === null) return;
    onCommit(moving.current);
    moving.current = null;
  };
  return (
    <Form.Range
      aria-label={label ?? parameter.label}
      min={parameter.min}
      max={parameter.max}
      step={parameter.step}
      value={value}
      disabled={disabled}
      onChange={(event) => {
        moving.current = Number(event.target.value);
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
