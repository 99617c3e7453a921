import type { Parameter } from '@pannet/core/parameters/parameter';
import { NumberField } from './NumberField.tsx';
import { say } from './notices.ts';
import { Slider } from './Slider.tsx';

interface Props<Value extends number | null> {
  readonly parameter: Parameter;
  readonly value: Value;
  /** If the parameter's own is not enough. */
  readonly label?: string;
  readonly slider?: boolean;
  readonly width?: number;
  /** Written under the slider's ends and middle. */
  readonly ends?: readonly string[];
  readonly onPreview: (value: Value) => void;
  readonly onCommit: (value: Value) => void;
  readonly onCancel: () => void;
}

/** A parameter with its label, its figure, and a slider where that helps. */
export function ParameterRow<Value extends number | null>(props: Props<Value>) {
  const {
    parameter,
    value,
    slider = true,
    width = 82,
    ends,
    onPreview,
    onCommit,
    onCancel,
  } = props;
  const label = props.label ?? parameter.label;
  return (
    <div className="parameter-row">
      <span>{label}</span>
      <NumberField
        parameter={parameter}
        value={value}
        label={label}
        width={width}
        onPreview={onPreview}
        onCommit={onCommit}
        onCancel={onCancel}
        onRefuse={say}
      />
      {slider && (
        <Slider
          parameter={parameter}
          value={value ?? parameter.default}
          label={`${label}, slider`}
          disabled={value === null}
          onPreview={(next) => onPreview(next as Value)}
          onCommit={(next) => onCommit(next as Value)}
        />
      )}
      {ends && (
        <span className="slider-ends quiet" aria-hidden>
          {ends.map((end) => (
            <span key={end}>{end}</span>
          ))}
        </span>
      )}
    </div>
  );
}
