import { notchFrequencies } from '@pannet/core/measurement/comb';
import { voiceParameters } from '@pannet/core/parameters/tables';
import { clampParameter } from '@pannet/core/parameters/parameter';
import { gainToDb } from '@pannet/core/quantities/units';
import { figure, signedFigure } from '@pannet/core/quantities/wording';
import type { Part } from '@pannet/core/song/song';
import { delayInMs, isTuned, tuningCents, wanders, type Voice } from '@pannet/core/voices/voice';
import { useEffect, useRef, useState, type KeyboardEvent, type PointerEvent } from 'react';
import { useGesture } from '../controls/use-gesture.ts';
import { useOpenSong, usePlayback, useRate, useSelection } from '../session/use-open-song.ts';
import { labelColumn, type Placed, type Side } from './placement-bars.ts';
import { axisX, fieldLeft, fieldRight, msOfY, panOfX, yOfMs, type Box } from './placement-scale.ts';
import { editedTogether } from './edited-together.ts';
import {
  bothDelayFigures,
  changeName,
  delayAt,
  delayStepped,
  placementText,
  voiceEdit,
  type VoiceChanges,
} from './voice-edits.ts';

interface BarProps {
  readonly part: Part;
  readonly box: Box;
  readonly placed: Placed;
  readonly labelY: number;
}

/** One voice: dragged, wheeled, moved by arrow keys; its name and figures beside it. */
export function VoiceBar({ part, box, placed: { voice, side, y, bars }, labelY }: BarProps) {
  const open = useOpenSong();
  const rateHz = useRate();
  const selected = useSelection().voiceId === voice.id;
  const group = useRef<SVGGElement>(null);
  const [dragging, setDragging] = useState(false);

  const place = (event: PointerEvent) => {
    const area = (event.currentTarget as SVGElement).ownerSVGElement?.getBoundingClientRect();
    return { x: event.clientX - (area?.left ?? 0), y: event.clientY - (area?.top ?? 0) };
  };
  interface Held {
    readonly dx: number;
    readonly dy: number;
    readonly before: Voice;
    changes: VoiceChanges;
  }
  /** A pair moves as mirror images; of several others only this one is moved. */
  const edited = (before: Voice, changes: VoiceChanges) =>
    open.pairOf(part.id, before.id)
      ? editedTogether(open, part, before, changes)
      : { name: changeName(before, changes), edits: voiceEdit(part, before, changes) };
  const change = (before: Voice, changes: VoiceChanges) => {
    const { name, edits } = edited(before, changes);
    open.do(name, edits);
  };
  const drag = useGesture<Held>({
    begin: (event) => {
      const together = event.shiftKey || event.ctrlKey || event.metaKey;
      if (together || !open.selection.getState().voiceIds.includes(voice.id))
        open.selectVoice(voice.id, together);
      const at = place(event);
      const x = side === 'both' ? at.x : bars[0][0] + bars[0][1] / 2;
      return { dx: at.x - x, dy: at.y - y, before: voice, changes: {} };
    },
    move: (held, event) => {
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
      if (Object.keys(changes).length > 0) open.preview(edited(held.before, changes).edits);
      else open.session.endPreview();
    },
    end: ({ before, changes }, event) => {
      setDragging(false);
      const together = event.shiftKey || event.ctrlKey || event.metaKey;
      if (Object.keys(changes).length > 0) change(before, changes);
      // Pressed and not moved, one of several is selected alone.
      else if (!together) open.selectVoice(voice.id);
    },
    cancel: () => {
      setDragging(false);
      open.session.endPreview();
    },
  });
  const stepDelay = (steps: number, fine: boolean) => {
    const delay = delayStepped(voice.delay, steps, rateHz, fine);
    if (delay.value !== voice.delay.value) change(voice, { delay });
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
        change(voice, { placement: { kind: 'pan', panPercent } });
    } else if (event.key !== 'Escape' || !drag.cancel()) return;
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
      {...drag.handlers}
      onKeyDown={onKeyDown}
      onFocus={() => selected || open.selectVoice(voice.id)}
      onDoubleClick={() =>
        voice.delay.value !== 0 && change(voice, { delay: { value: 0, unit: voice.delay.unit } })
      }
    >
      {side === 'both' && (
        <Join voice={voice} from={bars[0][0] + bars[0][1]} to={bars[1][0]} y={y} />
      )}
      {bars.map(([x, width], n) => (
        <g key={n}>
          {/* Larger than what is seen, so that it can be caught. */}
          <rect x={x - 4} y={y - 12} width={width + 8} height={24} fill="transparent" />
          <Wander voice={voice} rateHz={rateHz} box={box} x={x} width={width} />
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

/** What joins both bars of a voice: dots where it is mirrored, a wave where its sides lie apart in phase. */
function Join({ voice, from, to, y }: { voice: Voice; from: number; to: number; y: number }) {
  if (voice.placement.kind === 'mirror')
    return (
      <path d={`M${from} ${y}H${to}`} stroke="var(--ink)" strokeWidth={1.5} strokeDasharray="2 4" />
    );
  const waves = Array.from({ length: Math.floor((to - from) / 16) }, () => 'q4 -5 8 0t8 0').join(
    '',
  );
  return <path d={`M${from} ${y}${waves}`} stroke="var(--ink)" fill="none" />;
}

/** How far a voice wanders while most of it sounds, as its splices are planned; 0 until they are. */
function useTunerWanderMs(voiceId: string): number {
  const { playback } = useOpenSong();
  const { partId } = useSelection();
  const rate = useRate();
  // Splices that come change the plan without changing the song.
  usePlayback((state) => state.preparing);
  const part = playback.plan?.parts.find(({ id }) => id === partId);
  const strand = part?.strands.find((one) => one.voiceId === voiceId && one.tuning);
  return strand?.tuning ? (strand.tuning.splices.usualWander * 1000) / rate : 0;
}

/** A voice that does not stand still has a wavering outline, as wide as it wanders early and late. */
function Wander({
  voice,
  rateHz,
  box,
  x,
  width,
}: {
  voice: Voice;
  rateHz: number;
  box: Box;
  x: number;
  width: number;
}) {
  const tunerMs = useTunerWanderMs(voice.id);
  if (!wanders(voice)) return null;
  const rangeMs = tunerMs + voice.drift.rangeMs;
  const placeMs = delayInMs(voice.delay, rateHz);
  const top = yOfMs(placeMs - rangeMs, box);
  const bottom = yOfMs(placeMs + rangeMs, box);
  const edge = (down: number) => {
    const waves = Math.max(1, Math.round(Math.abs(down) / 12));
    const step = down / waves / 2;
    return Array.from({ length: waves }, () => `q2 ${step / 2} 0 ${step}t0 ${step}`).join('');
  };
  return (
    <path
      d={`M${x} ${top}H${x + width}${edge(bottom - top)}H${x}${edge(top - bottom)}Z`}
      fill="none"
      stroke="var(--quiet)"
      strokeWidth={0.75}
      pointerEvents="none"
    />
  );
}

/** What the fold loses at most where the sides are farthest apart: |cos(Δφ/2)|. */
function spreadLoss({ placement }: Voice): string {
  if (placement.kind !== 'spread') return '';
  const loss = gainToDb(Math.cos((placement.degrees * Math.PI) / 360));
  return `, fold ≥ ${figure(loss, 1)} dB`;
}

function barColour(voice: Voice, side: Side, bar: number): string {
  if (side === 'both') return bar === 0 ? 'var(--left)' : 'var(--right)';
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
  const cents = tuningCents(voice.tuner);
  const figures = [
    isTuned(voice) ? `${signedFigure(cents, 1)} c` : '',
    voice.drift.rangeMs > 0 ? `±${figure(voice.drift.rangeMs, 1)} ms` : '',
    `${signedFigure(voice.levelDb, 1)} dB`,
    voice.polarity === 'inverted' ? 'ø' : '',
    voice.amp ? 'chain' : '',
    voice.muted ? 'muted' : '',
  ].filter(Boolean);
  const at = {
    left: { x: fieldLeft() + 6, anchor: 'start' },
    right: { x: fieldRight(box) - 6, anchor: 'end' },
    field:
      labelColumn({ voice, side, y, bars }) === 'left'
        ? { x: bars[0][0] - 6, anchor: 'end' }
        : { x: bars[0][0] + bars[0][1] + 6, anchor: 'start' },
    both: { x: fieldLeft() + 6, anchor: 'start' },
  }[side];
  const both = side === 'both' ? `${placementText(voice.placement)}${spreadLoss(voice)} · ` : '';
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
        {both}
        {figures.join(' ')}
      </text>
    </g>
  );
}

/** While it is dragged: ms and samples, and the first notches that it will cut in the fold. */
function DragFigures({ part, voice, y, box }: { part: Part; voice: Voice; y: number; box: Box }) {
  const rateHz = useRate();
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
  if (wanders(voice)) return 'tuned or drifting: no fixed notches';
  const others = part.image.voices
    .filter(
      (other) =>
        other.id !== voice.id &&
        !other.muted &&
        other.placement.kind !== 'mirror' &&
        !wanders(other),
    )
    .sort((a, b) => b.levelDb - a.levelDb);
  if (others.length === 0) return 'alone in the fold: no notches';
  const apart = (delayInMs(voice.delay, rateHz) - delayInMs(others[0].delay, rateHz)) / 1000;
  const polarity = voice.polarity === others[0].polarity ? 'equal' : 'opposite';
  const notches = notchFrequencies(apart, polarity, 3).filter((hz) => hz < rateHz / 2);
  if (notches.length === 0) return 'in time: no notches';
  return `notches ${notches.map((hz) => figure(hz, hz < 100 ? 1 : 0)).join(' · ')} Hz`;
}
