import {
  clampParameter,
  type Parameter,
  type ParameterTable,
} from '@pannet/core/parameters/parameter';
import { isRecorded, type Cabinet } from '@pannet/core/amps/amp';
import { cabinets } from '@pannet/core/amps/cabinet';
import {
  ampParameters,
  ampToneParameters,
  bandParameters,
  colourParameters,
  driftParameters,
  microphoneParameters,
  toneParameters,
  tunerParameters,
  voiceParameters,
  wornParameters,
} from '@pannet/core/parameters/tables';
import { figure, signedFigure } from '@pannet/core/quantities/wording';
import type { Edit } from '@pannet/core/song/edits/edit';
import type { Part } from '@pannet/core/song/song';
import {
  delayInFrames,
  delayInMs,
  type Delay,
  type Placement,
  type TunerKind,
  type Voice,
} from '@pannet/core/voices/voice';

export type VoiceChanges = Partial<Omit<Voice, 'id'>>;

export function voiceEdit(part: Part, voice: Voice, changes: VoiceChanges): Edit[] {
  return [{ kind: 'set-voice', partId: part.id, voiceId: voice.id, changes }];
}

/** The groups of values that a voice has, with the tables that they follow. */
const groups = {
  tuner: tunerParameters,
  drift: driftParameters,
  colour: colourParameters,
  tone: toneParameters,
  worn: wornParameters,
} as const satisfies Record<string, ParameterTable>;
export type VoiceGroup = keyof typeof groups;

/**
 * The same change for several voices, as absolute values: of a group only what `changes` makes different from `voice` goes to
 * the others.
 */
export function changesFor(other: Voice, voice: Voice, changes: VoiceChanges): VoiceChanges {
  const result: Record<string, unknown> = { ...changes };
  for (const group of Object.keys(groups) as VoiceGroup[]) {
    const changed = changes[group];
    if (!changed) continue;
    const differing = Object.entries(changed).filter(
      ([key, value]) => (voice[group] as unknown as Record<string, unknown>)[key] !== value,
    );
    result[group] = { ...other[group], ...Object.fromEntries(differing) };
  }
  return result;
}

/** How the change of a voice reads under undo: “right double: delay 12.0 → 18.5 ms”. */
export function changeName(before: Voice, changes: VoiceChanges): string {
  const after = { ...before, ...changes };
  const says: string[] = [];
  if (changes.delay)
    says.push(`delay ${delayFigure(before.delay, after.delay)} → ${delayText(after.delay)}`);
  if (changes.placement)
    says.push(`${placementText(before.placement)} → ${placementText(after.placement)}`);
  if (changes.levelDb !== undefined)
    says.push(`level ${signedFigure(before.levelDb, 1)} → ${signedFigure(after.levelDb, 1)} dB`);
  for (const group of Object.keys(groups) as VoiceGroup[])
    if (changes[group]) says.push(...groupChanges(group, before, after));
  if (changes.tone && changes.tone.bell !== before.tone.bell)
    says.push(...tableChanges(bandParameters, before.tone.bell, after.tone.bell, 'bell '));
  if (changes.amp !== undefined) says.push(...ampChanges(before.amp, after.amp));
  if (changes.polarity) says.push(`polarity ${after.polarity}`);
  if (changes.muted !== undefined) says.push(after.muted ? 'muted' : 'unmuted');
  if (changes.name !== undefined) says.push(`name ${after.name}`);
  if (changes.take !== undefined) says.push(`take ${after.take}`);
  return `${before.name}: ${says.join(', ')}`;
}

function ampChanges(before: Voice['amp'], after: Voice['amp']): string[] {
  if (!after) return ['no chain'];
  if (!before) return ['a chain'];
  const says = [
    ...tableChanges(ampParameters, before, after),
    ...tableChanges(ampToneParameters, before.tone, after.tone),
  ];
  if (before.shape !== after.shape) says.push(`shape ${after.shape}`);
  says.push(...cabinetChanges(before.cabinet, after.cabinet));
  return says.length > 0 ? says : ['chain'];
}

function cabinetChanges(before: Cabinet | null, after: Cabinet | null): string[] {
  if (!after) return before ? ['no cabinet'] : [];
  if (isRecorded(after))
    return before && isRecorded(before) && before.impulse === after.impulse
      ? []
      : ['an impulse response of its own'];
  if (!before || isRecorded(before) || before.kind !== after.kind)
    return [cabinets[after.kind].name];
  return tableChanges(microphoneParameters, before, after);
}

function groupChanges(group: VoiceGroup, before: Voice, after: Voice): string[] {
  const says = tableChanges(groups[group], before[group], after[group]);
  if (group === 'tuner' && before.tuner.kind !== after.tuner.kind)
    says.push(`tuner for ${tunerKindText(after.tuner.kind)}`);
  return says;
}

/** What differs between two groups of one table: “tuning +7.0 → +9.0 cents”. */
export function tableChanges(
  table: ParameterTable,
  before: object,
  after: object,
  prefix = '',
): string[] {
  return Object.entries(table).flatMap(([key, parameter]) => {
    const from = (before as Record<string, number | null>)[key];
    const to = (after as Record<string, number | null>)[key];
    if (from === to) return [];
    return [changeText(`${prefix}${parameter.label.toLowerCase()}`, parameter, from, to)];
  });
}

/** What a changed value is called under undo: steps of one gesture, which are named so, become one. */
export function changeText(
  name: string,
  parameter: Parameter,
  from: number | null,
  to: number | null,
): string {
  return `${name} ${valueText(parameter, from)} → ${valueText(parameter, to)} ${parameter.unit}`.trim();
}

export function valueText(parameter: Parameter, value: number | null): string {
  if (value === null) return parameter.off ?? 'off';
  return parameter.min < 0
    ? signedFigure(value, parameter.places)
    : figure(value, parameter.places);
}

export function tunerKindText(kind: TunerKind): string {
  return { single: 'single lines', chords: 'chords', struck: 'struck sounds', pads: 'pads' }[kind];
}

function delayFigure(before: Delay, after: Delay): string {
  return before.unit === after.unit
    ? figure(before.value, before.unit === 'ms' ? 1 : 0)
    : delayText(before);
}

function delayText({ value, unit }: Delay): string {
  return unit === 'ms' ? `${figure(value, 1)} ms` : `${figure(value, 0)} samples`;
}

export function placementText(placement: Placement): string {
  if (placement.kind === 'mirror') return 'mirrored';
  if (placement.kind === 'spread') return `spread ${figure(placement.degrees, 0)}°`;
  return sideText(placement.panPercent);
}

export function sideText(panPercent: number): string {
  if (panPercent === 0) return 'middle';
  return `${panPercent < 0 ? 'L' : 'R'} ${figure(Math.abs(panPercent), 0)}`;
}

/** Both figures, wherever a delay is shown. */
export function bothDelayFigures(delay: Delay, rateHz: number): string {
  const samples = delayInFrames(delay, rateHz);
  // What was meant as a whole sample and kept in ms is one.
  const whole = Math.abs(samples - Math.round(samples)) < 0.01;
  return `${figure(delayInMs(delay, rateHz), 2)} ms · ${figure(samples, whole ? 0 : 1)} smp`;
}

/** A delay of the same unit at another time: to a tenth of a ms, or to whole samples where samples were typed. */
export function delayAt(timeMs: number, unit: Delay['unit'], rateHz: number, fine: boolean): Delay {
  const held = clampParameter(voiceParameters.delayMs, timeMs);
  if (unit === 'samples') return { value: Math.round((held * rateHz) / 1000), unit };
  if (!fine) return { value: Number(held.toFixed(1)), unit };
  // One sample at a time, kept in ms to a hundredth of a sample.
  return { value: Number(((Math.round((held * rateHz) / 1000) * 1000) / rateHz).toFixed(5)), unit };
}

/** Moves a delay by tenths of a ms or by samples. */
export function delayStepped(delay: Delay, steps: number, rateHz: number, fine: boolean): Delay {
  const stepMs = fine || delay.unit === 'samples' ? 1000 / rateHz : voiceParameters.delayMs.step;
  return delayAt(delayInMs(delay, rateHz) + steps * stepMs, delay.unit, rateHz, fine);
}
