import { notchFrequencies } from '@pannet/core/measurement/comb';
import { voiceParameters } from '@pannet/core/parameters/tables';
import { clampParameter } from '@pannet/core/parameters/parameter';
import { figure, signedFigure } from '@pannet/core/quantities/wording';
import type { Part } from '@pannet/core/song/song';
import { delayInMs, type Voice } from '@pannet/core/voices/voice';
import { useEffect, useRef, useState, type KeyboardEvent, type PointerEvent } from 'react';
import { useSize } from '../controls/use-size.ts';
import { useOpenSong, useSelection, useSong } from '../song/open-song.ts';
import {
  arrivalBands,
  axisX,
  bandTop,
  fieldLeft,
  fieldRight,
  leftRail,
  msOfY,
  panOfX,
  railWidth,
  rightRail,
  scaleWidth,
  spread,
  xOfPan,
  yOfMs,
  type Box,
} from './placement-scale.ts';
import {
  bothDelayFigures,
  changeName,
  delayAt,
  delayStepped,
  placementText,
  voiceEdit,
  type VoiceChanges,
} from './voice-edits.ts';

type Side = 'left' | 'right' | 'field' | 'mirror';

function sideOf({ placement }: Voice): Side {
  if (placement.kind === 'mirror') return 'mirror';
  if (placement.panPercent <= -100) return 'left';
  return placement.panPercent >= 100 ? 'right' : 'field';
}

/** Across: position, with L and R as rails. Down: arrival. Every voice is a bar to be dragged, with its figures beside it. */
export function PlacementDrawing({ part }: { readonly part: Part }) {
  const { ref, width, height } = useSize<HTMLDivElement>();
  const box: Box = { width, height };
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

function Ground({ box }: { readonly box: Box }) {
  const bottom = box.height - 10;
  return (
    <g aria-hidden>
      {[leftRail(), rightRail(box)].map((x) => (
        <rect
          key={x}
          x={x}
          y={24}
          width={railWidth}
          height={bottom - 24}
          fill="var(--sheet)"
          stroke="var(--edge)"
        />
      ))}
      <text
        x={leftRail() + railWidth / 2}
        y={16}
        textAnchor="middle"
        fontWeight={600}
        fill="var(--left)"
      >
        L
      </text>
      <text
        x={rightRail(box) + railWidth / 2}
        y={16}
        textAnchor="middle"
        fontWeight={600}
        fill="var(--right)"
      >
        R
      </text>
      <path d={`M${axisX(box)} 20V${bottom}`} stroke="var(--edge)" strokeDasharray="8 3 2 3" />
      <text x={axisX(box)} y={16} textAnchor="middle" fontSize={12} fill="var(--quiet)">
        middle
      </text>
      {arrivalBands.map((band, n) => (
        <g key={band.name}>
          {n > 0 && <Break y={bandTop(n, box)} box={box} />}
          <text
            transform={`translate(11 ${(bandTop(n, box) + (n + 1 < arrivalBands.length ? bandTop(n + 1, box) : bottom)) / 2}) rotate(-90)`}
            textAnchor="middle"
            fontSize={12}
            fill="var(--quiet)"
          >
            {band.name}
          </text>
          {band.ticks.map((tick) => (
            <g key={tick}>
              <path d={`M${scaleWidth - 5} ${yOfMs(tick, box)}h5`} stroke="var(--edge)" />
              <text
                x={scaleWidth - 8}
                y={yOfMs(tick, box) + 4}
                textAnchor="end"
                fontSize={12}
                fill="var(--quiet)"
                className="mono"
              >
                {tick < 0 ? `−${-tick}` : tick}
              </text>
            </g>
          ))}
        </g>
      ))}
      <text x={scaleWidth - 8} y={15} textAnchor="end" fontSize={12} fill="var(--quiet)">
        ms
      </text>
    </g>
  );
}

/** The scale changes here: a line with a jog in it. */
function Break({ y, box }: { readonly y: number; readonly box: Box }) {
  const left = fieldLeft();
  const right = fieldRight(box);
  return (
    <path
      d={`M${left} ${y}H${left + 14}l3 -4 4 8 3 -4H${right - 24}l3 -4 4 8 3 -4H${right}`}
      fill="none"
      stroke="var(--rule)"
    />
  );
}

/** The difference in arrival between paired voices: the first left one and the first right one, and so on. */
function Dimensions({ part, box }: { readonly part: Part; readonly box: Box }) {
  const rateHz = useSong().rateHz ?? 48_000;
  const heard = part.image.voices.filter((voice) => !voice.muted);
  const on = (side: Side) => heard.filter((voice) => sideOf(voice) === side);
  const lefts = on('left');
  const rights = on('right');
  const pairs = lefts
    .slice(0, 2)
    .flatMap((left, n) => (rights[n] ? [[left, rights[n]] as const] : []));
  return (
    <g aria-hidden>
      {pairs.map(([left, right], n) => {
        const delays = [left, right].map((voice) => delayInMs(voice.delay, rateHz));
        const [yLeft, yRight] = delays.map((delay) => yOfMs(delay, box));
        const difference = Math.abs(delays[1] - delays[0]);
        const towards = n === 0 ? 1 : -1;
        const x = axisX(box) + towards * 16;
        const text = bothDelayFigures({ value: Number(difference.toFixed(4)), unit: 'ms' }, rateHz);
        const y = (yLeft + yRight) / 2;
        return (
          <g key={left.id} stroke="var(--ink)" strokeWidth={0.75} fill="none">
            <path
              d={`M${fieldLeft() + 2} ${yLeft}H${x + 4}M${fieldRight(box) - 2} ${yRight}H${x - 4}`}
              stroke="var(--edge)"
              strokeDasharray="1 3"
            />
            {difference > 0 && (
              <path
                d={`M${x} ${yLeft}V${yRight}M${x - 4} ${yLeft + 4}l8 -8M${x - 4} ${yRight + 4}l8 -8`}
              />
            )}
            <text
              x={x + towards * 8}
              y={y + 4}
              textAnchor={n === 0 ? 'start' : 'end'}
              fontSize={12}
              className="mono"
              stroke="var(--paper)"
              strokeWidth={4}
              paintOrder="stroke"
              fill="var(--ink)"
            >
              {difference > 0 ? text : 'together'}
            </text>
          </g>
        );
      })}
    </g>
  );
}

interface Placed {
  readonly voice: Voice;
  readonly side: Side;
  readonly y: number;
  /** Left edge and width of the bar, one or, mirrored, two. */
  readonly bars: readonly (readonly [x: number, width: number])[];
}

function placeVoices(voices: readonly Voice[], box: Box, rateHz: number): Placed[] {
  const rails: Record<'left' | 'right', Voice[]> = { left: [], right: [] };
  for (const voice of voices) {
    const side = sideOf(voice);
    if (side === 'left' || side === 'mirror') rails.left.push(voice);
    if (side === 'right' || side === 'mirror') rails.right.push(voice);
  }
  const slot = (rail: readonly Voice[], voice: Voice, from: number) => {
    const size = (railWidth - 8) / Math.max(1, rail.length);
    const barWidth = Math.min(40, size - 4);
    return [from + 4 + size * rail.indexOf(voice) + (size - barWidth) / 2, barWidth] as const;
  };
  return voices.map((voice) => {
    const side = sideOf(voice);
    const y = yOfMs(delayInMs(voice.delay, rateHz), box);
    const left = () => slot(rails.left, voice, leftRail());
    const right = () => slot(rails.right, voice, rightRail(box));
    if (side === 'left') return { voice, side, y, bars: [left()] };
    if (side === 'right') return { voice, side, y, bars: [right()] };
    if (side === 'mirror') return { voice, side, y, bars: [left(), right()] };
    const pan = voice.placement.kind === 'pan' ? voice.placement.panPercent : 0;
    return { voice, side, y, bars: [[xOfPan(pan, box) - 18, 36]] };
  });
}

/** Two lines of figures a voice, and a little air. */
const labelHeight = 30;

function Voices({ part, box }: { readonly part: Part; readonly box: Box }) {
  const rateHz = useSong().rateHz ?? 48_000;
  const placed = placeVoices(part.image.voices, box, rateHz);
  const labelY = new Map<string, number>();
  for (const side of ['left', 'right', 'field', 'mirror'] as const) {
    const group = placed.filter((entry) => entry.side === side);
    const places = spread(
      group.map((entry) => entry.y),
      labelHeight,
    );
    group.forEach((entry, n) => labelY.set(entry.voice.id, places[n]));
  }
  return (
    <g>
      {placed.map((entry) => (
        <VoiceBar
          key={entry.voice.id}
          part={part}
          box={box}
          placed={entry}
          labelY={Math.min(box.height - 22, labelY.get(entry.voice.id) ?? entry.y)}
        />
      ))}
    </g>
  );
}

interface BarProps {
  readonly part: Part;
  readonly box: Box;
  readonly placed: Placed;
  readonly labelY: number;
}

function VoiceBar({ part, box, placed: { voice, side, y, bars }, labelY }: BarProps) {
  const open = useOpenSong();
  const rateHz = useSong().rateHz ?? 48_000;
  const selected = useSelection().voiceId === voice.id;
  const group = useRef<SVGGElement>(null);
  const drag = useRef<{ dx: number; dy: number; before: Voice; changes: VoiceChanges } | null>(
    null,
  );
  const [dragging, setDragging] = useState(false);

  const place = (event: PointerEvent) => {
    const area = (event.currentTarget as SVGElement).ownerSVGElement?.getBoundingClientRect();
    return { x: event.clientX - (area?.left ?? 0), y: event.clientY - (area?.top ?? 0) };
  };
  const grab = (event: PointerEvent) => {
    event.currentTarget.setPointerCapture(event.pointerId);
    open.selection.setState({ voiceId: voice.id });
    const at = place(event);
    const x = side === 'mirror' ? at.x : bars[0][0] + bars[0][1] / 2;
    drag.current = { dx: at.x - x, dy: at.y - y, before: voice, changes: {} };
  };
  const move = (event: PointerEvent) => {
    const held = drag.current;
    if (!held) return;
    const at = place(event);
    const timeMs = msOfY(at.y - held.dy, box);
    const delay = delayAt(timeMs, held.before.delay.unit, rateHz, event.altKey);
    const changes: { -readonly [key in keyof VoiceChanges]: VoiceChanges[key] } = {};
    if (delay.value !== held.before.delay.value) changes.delay = delay;
    if (held.before.placement.kind === 'pan') {
      const panPercent = panOfX(at.x - held.dx, box);
      if (panPercent !== held.before.placement.panPercent)
        changes.placement = { kind: 'pan', panPercent };
    }
    held.changes = changes;
    setDragging(true);
    if (Object.keys(changes).length > 0) open.preview(voiceEdit(part, held.before, changes));
    else open.session.endPreview();
  };
  const drop = () => {
    const held = drag.current;
    drag.current = null;
    setDragging(false);
    if (!held || Object.keys(held.changes).length === 0) return;
    open.do(changeName(held.before, held.changes), voiceEdit(part, held.before, held.changes));
  };
  const cancel = () => {
    drag.current = null;
    setDragging(false);
    open.session.endPreview();
  };
  const change = (changes: VoiceChanges) =>
    open.do(changeName(voice, changes), voiceEdit(part, voice, changes));
  const stepDelay = (steps: number, fine: boolean) => {
    const delay = delayStepped(voice.delay, steps, rateHz, fine);
    if (delay.value !== voice.delay.value) change({ delay });
  };
  const onKeyDown = (event: KeyboardEvent) => {
    const steps = event.shiftKey ? 10 : 1;
    if (event.key === 'ArrowDown') stepDelay(steps, event.altKey);
    else if (event.key === 'ArrowUp') stepDelay(-steps, event.altKey);
    else if (
      (event.key === 'ArrowLeft' || event.key === 'ArrowRight') &&
      voice.placement.kind === 'pan'
    ) {
      const by = event.key === 'ArrowLeft' ? -steps : steps;
      const panPercent = clampParameter(
        voiceParameters.panPercent,
        voice.placement.panPercent + by,
      );
      if (panPercent !== voice.placement.panPercent)
        change({ placement: { kind: 'pan', panPercent } });
    } else if (event.key === 'Escape' && drag.current) cancel();
    else return;
    event.preventDefault();
  };

  const stepLater = useRef(stepDelay);
  useEffect(() => {
    stepLater.current = stepDelay;
  });
  useEffect(() => {
    const element = group.current;
    if (!element || !selected) return;
    const onWheel = (event: WheelEvent) => {
      event.preventDefault();
      stepLater.current(event.deltaY > 0 ? 1 : -1, event.altKey);
    };
    element.addEventListener('wheel', onWheel, { passive: false });
    return () => element.removeEventListener('wheel', onWheel);
  }, [selected]);

  const thick = Math.max(3, Math.min(12, 10 + voice.levelDb / 3));
  return (
    <g
      ref={group}
      role="button"
      tabIndex={0}
      aria-label={`${voice.name}: ${placementText(voice.placement)}, ${bothDelayFigures(voice.delay, rateHz)}`}
      data-testid={`voice-${voice.name}`}
      opacity={voice.muted ? 0.4 : 1}
      style={{ cursor: 'grab', outlineOffset: 3 }}
      onPointerDown={grab}
      onPointerMove={move}
      onPointerUp={drop}
      onPointerCancel={cancel}
      onKeyDown={onKeyDown}
      onFocus={() => open.selection.setState({ voiceId: voice.id })}
      onDoubleClick={() =>
        voice.delay.value !== 0 && change({ delay: { value: 0, unit: voice.delay.unit } })
      }
    >
      {side === 'mirror' && (
        <path
          d={`M${bars[0][0] + bars[0][1]} ${y}H${bars[1][0]}`}
          stroke="var(--ink)"
          strokeWidth={1.5}
          strokeDasharray="2 4"
        />
      )}
      {bars.map(([x, width], n) => (
        <g key={n}>
          {/* Larger than what is seen, so that it can be caught. */}
          <rect x={x - 4} y={y - 12} width={width + 8} height={24} fill="transparent" />
          <rect
            x={x}
            y={y - thick / 2}
            width={width}
            height={thick}
            fill={barColour(voice, side, n)}
            stroke={selected ? 'var(--ink)' : 'none'}
            strokeWidth={2}
          />
          {selected && (
            <rect
              x={x - 4}
              y={y - thick / 2 - 4}
              width={width + 8}
              height={thick + 8}
              fill="none"
              stroke="var(--ink)"
            />
          )}
        </g>
      ))}
      <Label voice={voice} side={side} y={labelY} bars={bars} box={box} />
      {dragging && <DragFigures part={part} voice={voice} y={y} box={box} />}
    </g>
  );
}

function barColour(voice: Voice, side: Side, bar: number): string {
  if (side === 'mirror') return bar === 0 ? 'var(--left)' : 'var(--right)';
  const pan = voice.placement.kind === 'pan' ? voice.placement.panPercent : 0;
  if (pan === 0) return 'var(--ink)';
  return pan < 0 ? 'var(--left)' : 'var(--right)';
}

function Label({
  voice,
  side,
  y,
  bars,
  box,
}: {
  voice: Voice;
  side: Side;
  y: number;
  bars: Placed['bars'];
  box: Box;
}) {
  const figures = [
    voice.tuner.cents !== 0 ? `${signedFigure(voice.tuner.cents, 1)} c` : '',
    `${signedFigure(voice.levelDb, 1)} dB`,
    voice.polarity === 'inverted' ? 'ø' : '',
    voice.muted ? 'muted' : '',
  ].filter(Boolean);
  const at = {
    left: { x: fieldLeft() + 6, anchor: 'start' },
    right: { x: fieldRight(box) - 6, anchor: 'end' },
    field: { x: bars[0][0] + bars[0][1] + 6, anchor: 'start' },
    mirror: { x: axisX(box) - 8, anchor: 'end' },
  }[side];
  const mirrored = side === 'mirror' ? 'mirrored · ' : '';
  return (
    <g
      textAnchor={at.anchor as 'start' | 'end'}
      stroke="var(--paper)"
      strokeWidth={4}
      paintOrder="stroke"
      fill="var(--ink)"
      fontSize={12}
    >
      <text x={at.x} y={y - 2} fontWeight={600}>
        {voice.name}
      </text>
      <text x={at.x} y={y + 11} className="mono" fontSize={12} fill="var(--quiet)">
        {mirrored}
        {figures.join(' ')}
      </text>
    </g>
  );
}

/** While it is dragged: ms and samples, and the first notches that it will cut in the fold. */
function DragFigures({ part, voice, y, box }: { part: Part; voice: Voice; y: number; box: Box }) {
  const rateHz = useSong().rateHz ?? 48_000;
  const rows = [bothDelayFigures(voice.delay, rateHz), notchText(part, voice, rateHz)];
  const width = 232;
  const x = axisX(box) - width / 2;
  const top = y > box.height - 70 ? y - 56 : y + 16;
  return (
    <g pointerEvents="none" data-testid="drag-figures">
      <rect x={x} y={top} width={width} height={42} fill="var(--ink)" rx={2} />
      {rows.map((row, n) => (
        <text
          key={n}
          x={axisX(box)}
          y={top + 17 + n * 16}
          textAnchor="middle"
          fontSize={12}
          fill="var(--sheet)"
          className="mono"
        >
          {row}
        </text>
      ))}
    </g>
  );
}

function notchText(part: Part, voice: Voice, rateHz: number): string {
  if (voice.placement.kind === 'mirror') return 'vanishes in the fold: no notches';
  if (voice.tuner.cents !== 0) return 'tuned: no fixed notches';
  const others = part.image.voices
    .filter(
      (other) =>
        other.id !== voice.id &&
        !other.muted &&
        other.placement.kind === 'pan' &&
        other.tuner.cents === 0,
    )
    .sort((a, b) => b.levelDb - a.levelDb);
  if (others.length === 0) return 'alone in the fold: no notches';
  const apart = (delayInMs(voice.delay, rateHz) - delayInMs(others[0].delay, rateHz)) / 1000;
  const polarity = voice.polarity === others[0].polarity ? 'equal' : 'opposite';
  const notches = notchFrequencies(apart, polarity, 3).filter((hz) => hz < rateHz / 2);
  if (notches.length === 0) return 'in time: no notches';
  return `notches ${notches.map((hz) => figure(hz, hz < 100 ? 1 : 0)).join(' · ')} Hz`;
}
