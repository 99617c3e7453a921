import { describe, expect, test } from '@jest/globals';
import { tempoDescription } from '@pannet/core/moves/tempo';
import { barMarks } from './bar-marks.ts';

const rate = 48_000;
const labels = (marks: ReturnType<typeof barMarks>) => marks.map(({ label }) => label);

describe('a ruler in bars', () => {
  const tempo = tempoDescription.parse([{ atS: 0, bpm: 120 }]);
  const seen = (fromS: number, toS: number, width = 640) =>
    barMarks({ from: fromS * rate, to: toS * rate }, rate, width, tempo);

  test('goes by bars, by several of them, by beats and by sixteenths, as there is room', () => {
    expect(labels(seen(0, 20))).toEqual(['1', '2', '3', '4', '5', '6', '7', '8', '9', '10']);
    expect(labels(seen(0, 80))).toEqual(['1', '5', '9', '13', '17', '21', '25', '29', '33', '37']);
    expect(labels(seen(3, 7))).toEqual(['2.3', '2.4', '3', '3.2', '3.3', '3.4', '4', '4.2']);
    expect(labels(seen(2, 2.5))).toEqual(['2', '2.1.2', '2.1.3', '2.1.4']);
  });

  test('marks lie where the beats are', () => {
    expect(seen(3, 7).map(({ atS }) => atS)).toEqual([3, 3.5, 4, 4.5, 5, 5.5, 6, 6.5]);
    expect(seen(0, 3600).length).toBeLessThan(20);
  });

  test('each bar has its own beats, and its own tempo', () => {
    const map = tempoDescription.parse([
      { atS: 0, bpm: 120, beatsPerBar: 3 },
      { atS: 3, bpm: 60, beatsPerBar: 4 },
    ]);
    const marks = barMarks({ from: 0, to: 7 * rate }, rate, 1000, map);
    expect(labels(marks)).toEqual(
      ['1', '1.2', '1.3', '2', '2.2', '2.3'].concat(['3', '3.2', '3.3', '3.4']),
    );
    expect(marks.map(({ atS }) => atS)).toEqual([0, 0.5, 1, 1.5, 2, 2.5, 3, 4, 5, 6]);
  });
});
