import { neutralGroupStage } from '../image/group-stage.ts';
import { feedOf } from '../rooms/feeds.ts';
import { startingRoom } from '../rooms/starting.ts';
import { groupOfParts } from '../song/along.ts';
import type { Points } from '../moves/points.ts';
import { withThrow } from '../moves/throws.ts';
import { levelTarget, partTarget } from '../song/moves-of.ts';
import type { Edit } from '../song/edits/edit.ts';
import { neutralPreparation } from '../takes/preparation.ts';
import { beatsPerBar, secondsPerBeat, strumsFrom } from './score.ts';

const bar = beatsPerBar * secondsPerBeat;

/** The demo song as a whole: two groups, two rooms, an echo, a group that gives way when the strums come in, and reeds that open and swell. */
export function togetherEdits(): Edit[] {
  const hall = startingRoom('hall', 'hall', []);
  const plate = startingRoom('plate', 'plate', []);
  const echo = startingRoom('echo', 'echo', []);
  return [
    {
      kind: 'set-groups',
      groups: [
        groupOfParts('strings', 'Strings', ['wire-harp', 'lap-strings', 'deep-lute'], {
          preparation: {
            ...neutralPreparation,
            lowCutHz: 60,
            compressor: { thresholdDb: -18, ratio: 2, attackMs: 25, releaseMs: 180, makeUpDb: 1 },
          },
          stage: { ...neutralGroupStage, lowHz: 140 },
        }),
        groupOfParts('air', 'Air', ['long-bow', 'reed-box']),
      ],
    },
    {
      kind: 'set-rooms',
      rooms: [
        {
          ...hall,
          feeds: [
            feedOf('hum', { levelDb: -4 }),
            feedOf('long-bow', { levelDb: -8 }),
            feedOf('reed-box', { from: 'flanks', levelDb: -6 }),
          ],
        },
        {
          ...plate,
          feeds: [feedOf('wire-harp', { levelDb: -6 }), feedOf('frame-drum', { levelDb: -10 })],
        },
        {
          ...echo,
          // A dotted eighth on the left, half as long again on the right.
          echo: { ...echo.echo, beats: 0.75, ratioPercent: 150, crossPercent: 60 },
          feeds: [feedOf('glass-bells', { levelDb: -3 })],
        },
      ],
    },
    {
      kind: 'set-moves',
      moves: [
        {
          id: 'air-level',
          target: levelTarget('group', 'air'),
          curve: {
            kind: 'points',
            points: [
              { atS: (strumsFrom - 1) * bar, by: 0, shape: 'smooth' },
              { atS: strumsFrom * bar, by: -3, shape: 'straight' },
            ],
          },
        },
        // The reeds open in the last bar of each turn, and swell with every other beat.
        {
          id: 'reeds-thrown',
          target: partTarget('reed-box', 'flanksDb'),
          curve: [3, 7, 11, 15].reduce<Points | null>(
            (curve, at) =>
              withThrow(curve, { fromS: at * bar, toS: (at + 1) * bar, fadeS: secondsPerBeat / 4 }),
            null,
          ) as Points,
        },
        {
          id: 'reeds-swell',
          target: partTarget('reed-box', 'levelDb'),
          curve: {
            kind: 'cycle',
            rate: { value: 2, unit: 'beats' },
            depthDb: 3,
            depthPercent: 100,
            phasePercent: 50,
            shape: 'sine',
          },
        },
      ],
    },
  ];
}
