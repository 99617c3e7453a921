import { describe, expect, test } from '@jest/globals';
import { stageParameters, toneParameters } from '@pannet/core/parameters/tables';
import { newVoice } from '@pannet/core/voices/voice';
import { changeName, changesFor, placementText, tableChanges, valueText } from './voice-edits.ts';

const voice = newVoice('v1', 'left double', { tuner: { cents: 7 }, tone: { tiltDb: 2 } });

describe('a change for several voices', () => {
  const other = newVoice('v2', 'right double', {
    tuner: { kind: 'chords', cents: -7 },
    tone: { tiltDb: -2, lowCutHz: 200 },
  });

  test('of a group only what was changed goes to the others', () => {
    const tuner = { ...voice.tuner, mixPercent: 60 };
    expect(changesFor(other, voice, { tuner }).tuner).toEqual({ ...other.tuner, mixPercent: 60 });
    const tone = { ...voice.tone, highCutHz: 5000 };
    expect(changesFor(other, voice, { tone }).tone).toEqual({ ...other.tone, highCutHz: 5000 });
  });

  test('what is no group goes to them as it is', () => {
    const changes = { levelDb: -4, delay: { value: 9, unit: 'ms' as const } };
    expect(changesFor(other, voice, changes)).toEqual(changes);
  });
});

describe('how a change reads', () => {
  test.each<[Parameters<typeof changeName>[1], string]>([
    [{ tuner: { ...voice.tuner, cents: 9 } }, 'left double: tuning +7.0 → +9.0 cents'],
    [{ tuner: { ...voice.tuner, kind: 'struck' } }, 'left double: tuner for struck sounds'],
    [{ drift: { ...voice.drift, rangeMs: 6 } }, 'left double: drift 0.0 → 6.0 ms'],
    [{ tone: { ...voice.tone, lowCutHz: 150 } }, 'left double: low cut off → 150 Hz'],
    [
      { tone: { ...voice.tone, bell: { ...voice.tone.bell, db: 3 } } },
      'left double: bell gain 0.0 → +3.0 dB',
    ],
    [{ placement: { kind: 'spread', degrees: 60 } }, 'left double: middle → spread 60°'],
    [{ take: 2 }, 'left double: take 2'],
  ])('%j', (changes, text) => {
    expect(changeName(voice, changes)).toBe(text);
  });

  test('a figure has its sign where it may be below 0, and a word where it is off', () => {
    expect(valueText(stageParameters.trimDb, 3)).toBe('+3.0');
    expect(valueText(stageParameters.widthPercent, 80)).toBe('80');
    expect(valueText(toneParameters.highCutHz, null)).toBe('off');
  });

  test('what stayed is not said', () => {
    const stage = { widthPercent: 100, trimDb: 0 };
    expect(tableChanges(stageParameters, stage, { ...stage })).toEqual([]);
    expect(placementText({ kind: 'mirror' })).toBe('mirrored');
  });
});
