import { checkParameter, clampParameter, type Parameter } from '@pannet/core/parameters/parameter';
import { figure } from '@pannet/core/quantities/wording';
import { useEffect, useRef, useState, type KeyboardEvent } from 'react';
import { useGesture } from './use-gesture.ts';

interface Props<Value extends number | null> {
  readonly parameter: Parameter;
  /** `null` where the parameter can be off. */
  readonly value: Value;
  /** Said to those who do not see it. */
  readonly label?: string;
  readonly unit?: string;
  readonly width?: number;
  readonly disabled?: boolean;
  /** A value on its way, while it is dragged. */
  readonly onPreview?: (value: Value) => void;
  readonly onCommit: (value: Value) => void;
  readonly onCancel?: () => void;
  /** Says what is wrong with what was typed. */
  readonly onRefuse?: (sentence: string) => void;
}

/** Vertical pixels of one step while the unit is dragged. */
const pixelsPerStep = 3;

/**
 * A figure with its unit: typed (Enter or leaving takes it, Escape gives up), stepped by the arrow keys (Shift: ten steps) and
 * the wheel, dragged up and down by its unit, set to its default by a double click on the unit.
 */
export function NumberField<Value extends number | null>(props: Props<Value>) {
  const { parameter, value, width = 74, disabled, onCancel, onRefuse } = props;
  // Only a parameter that can be off is ever given `null`.
  const onPreview = props.onPreview as ((value: number | null) => void) | undefined;
  const onCommit = props.onCommit as (value: number | null) => void;
  const label = props.label ?? parameter.label;
  const [draft, setDraft] = useState<string | null>(null);
  const [wrong, setWrong] = useState<string | null>(null);
  const input = useRef<HTMLInputElement>(null);
  const shown = draft ?? shownFigure(value, parameter);

  const take = (text: string) => {
    setDraft(null);
    if (parameter.off !== undefined && ['', parameter.off].includes(text.trim().toLowerCase())) {
      setWrong(null);
      if (value !== null) onCommit(null);
      return;
    }
    const number = Number(text.trim().replace(',', '.').replace('−', '-'));
    const checked = checkParameter(parameter, text.trim() === '' ? Number.NaN : number, label);
    if (checked.ok) {
      setWrong(null);
      if (checked.value !== value) onCommit(checked.value);
      return;
    }
    setWrong(checked.error.sentence);
    onRefuse?.(checked.error.sentence);
  };
  const step = (steps: number) => {
    setWrong(null);
    const next = stepped(parameter, value, steps);
    if (next !== value) onCommit(next);
  };
  const onKeyDown = (event: KeyboardEvent) => {
    const steps = event.shiftKey ? 10 : 1;
    if (event.key === 'Enter' && draft !== null) take(draft);
    else if (event.key === 'Escape') {
      setDraft(null);
      setWrong(null);
    } else if (event.key === 'ArrowUp') step(steps);
    else if (event.key === 'ArrowDown') step(-steps);
    else return;
    if (event.key.startsWith('Arrow')) {
      setDraft(null);
      event.preventDefault();
    }
  };

  // React listens to wheels passively; this one must keep the page from scrolling.
  const stepLater = useRef(step);
  useEffect(() => {
    stepLater.current = step;
  });
  useEffect(() => {
    const field = input.current;
    const onWheel = (event: WheelEvent) => {
      if (document.activeElement !== field || disabled) return;
      event.preventDefault();
      stepLater.current(event.deltaY < 0 ? 1 : -1);
    };
    field?.addEventListener('wheel', onWheel, { passive: false });
    return () => field?.removeEventListener('wheel', onWheel);
  }, [disabled]);

  const { handlers } = useGesture<{ y: number; from: number | null; value: number | null }>({
    begin: (event) => (disabled ? null : { y: event.clientY, from: value, value }),
    move: (held, event) => {
      const steps = Math.round((held.y - event.clientY) / pixelsPerStep);
      const next = stepped(parameter, held.from, steps);
      if (next === held.value) return;
      held.value = next;
      onPreview?.(next);
    },
    end: (held) => {
      if (held.value !== held.from) onCommit(held.value);
    },
    cancel: () => onCancel?.(),
  });

  return (
    <span
      className={`number-field${wrong ? ' wrong' : ''}`}
      style={{ width }}
      title={wrong ?? undefined}
    >
      <input
        ref={input}
        type="text"
        inputMode="decimal"
        aria-label={label}
        aria-invalid={wrong !== null}
        value={shown}
        disabled={disabled}
        onChange={(event) => setDraft(event.target.value)}
        onFocus={(event) => event.target.select()}
        onBlur={() => draft !== null && take(draft)}
        onKeyDown={onKeyDown}
      />
      <span
        className="unit"
        title="Drag up or down; double-click for the default"
        {...handlers}
        onDoubleClick={() =>
          !disabled && onCommit(parameter.off === undefined ? parameter.default : null)
        }
      >
        {value === null ? '' : (props.unit ?? parameter.unit)}
      </span>
    </span>
  );
}

/** Steps of a quarter tone where a parameter is heard in octaves; what is off comes on at its default. */
function stepped(parameter: Parameter, from: number | null, steps: number): number {
  if (from === null) return parameter.default;
  const next =
    parameter.scale === 'log'
      ? Number((from * 2 ** (steps / 24)).toPrecision(3))
      : Number((from + steps * parameter.step).toFixed(6));
  return clampParameter(parameter, next);
}

/** As many places as the table has, more where more were typed. */
function shownFigure(value: number | null, parameter: Parameter): string {
  if (value === null) return parameter.off ?? '';
  const typed = String(value).split('.')[1]?.length ?? 0;
  return figure(value, Math.min(4, Math.max(parameter.places, typed)));
}
