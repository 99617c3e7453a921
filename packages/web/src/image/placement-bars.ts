import { delayInMs, type Voice } from '@pannet/core/voices/voice';
import { leftRail, railWidth, rightRail, xOfPan, yOfMs, type Box } from './placement-scale.ts';

/** On a rail, between them, or on both of them. */
export type Side = 'left' | 'right' | 'field' | 'both';

export function sideOf({ placement }: Voice): Side {
  if (placement.kind !== 'pan') return 'both';
  if (placement.panPercent <= -100) return 'left';
  return placement.panPercent >= 100 ? 'right' : 'field';
}

/** A voice as it is drawn. */
export interface Placed {
  readonly voice: Voice;
  readonly side: Side;
  readonly y: number;
  /** Left edge and width of the bar, one or, on both rails, two. */
  readonly bars: readonly (readonly [x: number, width: number])[];
}

/** Voices on one rail stand side by side. */
export function placeVoices(voices: readonly Voice[], box: Box, rateHz: number): Placed[] {
  const rails: Record<'left' | 'right', Voice[]> = { left: [], right: [] };
  for (const voice of voices) {
    const side = sideOf(voice);
    if (side === 'left' || side === 'both') rails.left.push(voice);
    if (side === 'right' || side === 'both') rails.right.push(voice);
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
    if (side === 'both') return { voice, side, y, bars: [left(), right()] };
    const pan = voice.placement.kind === 'pan' ? voice.placement.panPercent : 0;
    return { voice, side, y, bars: [[xOfPan(pan, box) - 18, 36]] };
  });
}

/** Figures of what stands on the left or on both rails go into the left half of the field, the others into the right. */
export function labelColumn({ voice, side }: Placed): 'left' | 'right' {
  if (side === 'left' || side === 'both') return 'left';
  if (side === 'right') return 'right';
  return voice.placement.kind === 'pan' && voice.placement.panPercent < 0 ? 'left' : 'right';
}
