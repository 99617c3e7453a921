import { neutralGroupStage } from '../image/group-stage.ts';
import { feedOf } from '../rooms/feeds.ts';
import { startingRoom } from '../rooms/starting.ts';
import { groupOfParts } from '../song/along.ts';
import { curveDescription } from '../moves/curve.ts';
import type { Points } from '../moves/points.ts';
import { thrownAs, withThrow } from '../moves/throws.ts';
import { levelTarget, partTarget } from '../song/moves-of.ts';
import type { Edit } from '../song/edits/edit.ts';
import { neutralPreparation } from '../takes/preparation.ts';
import { beatsPerBar, secondsPerBeat, strumsFrom } from './score.ts';

const bar = beatsPerBar * secondsPerBeat;
/** Their image in the place of plain. */
const opened = thrownAs('image', 100);

/** The demo song as a whole: two groups, two rooms, an echo, a group that gives way when the strums come in, strums that open, and bells that swell. */
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
        // The strums open in the second half of each turn, and the bells swell with every other beat.
        {
          id: 'strums-thrown',
          target: partTarget('lap-strings', opened.parameter),
          curve: [strumsFrom + 2, strumsFrom + 6].reduce<Points | null>(
            (curve, at) =>
              withThrow(
                curve,
                { fromS: at * bar, toS: (at + 2) * bar, fadeS: secondsPerBeat / 4 },
                opened,
              ),
            null,
          ) as Points,
        },
        {
          id: 'bells-swell',
          target: partTarget('glass-bells', 'levelDb'),
          curve: curveDescription.parse({
            kind: 'cycle',
            rate: { value: 2, unit: 'beats' },
            depthDb: 3,
            phasePercent: 50,
          }),
        },
      ],
    },
  ];
}
