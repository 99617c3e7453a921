import { ampRecipes } from './amp-recipes.ts';
import { image, left, ms, right, type Recipe } from './recipe.ts';

/**
 * Delays of 8 to 35 ms and tunings of 5 to 12 cents are common practice for width; a mirrored copy is the network of
 * Lauridsen (1954); two unlike all-pass filters are Schroeder's pseudo-stereo (1958).
 */
export const recipes: readonly Recipe[] = [
  {
    id: 'one-side-late',
    name: 'One side late',
    sentence:
      'The right side comes 14 ms after the left: wide, and it leads to the left. The fold loses some 3 dB and is combed from 36 Hz on. For sustained parts that need not stay in the middle.',
    suits: [],
    meant: ['only-a-copy', 'leads'],
    promise: {
      foldDb: [-4.5, -1.5],
      widthDb: [-3, 3],
      leads: 'L',
      combed: true,
      onFewTones: { foldDb: [-7.5, -0.8], widthDb: [-8, 7] },
    },
    image: image([
      ['left', { placement: left }],
      ['right late', { placement: right, delay: ms(14) }],
    ]),
  },
  {
    id: 'tuned-doubles',
    name: 'Tuned doubles',
    sentence:
      'Copies 7 cents up and down, 11 and 17 ms late, hard left and right under the original: the fold loses about 1 dB, since the copies drift against the middle instead of combing it. For single lines.',
    suits: ['single lines', 'low'],
    promise: { foldDb: [-2.5, -0.2], widthDb: [-12, -3], leads: null, combed: false },
    image: image([
      ['anchor', {}],
      ['left double', { placement: left, levelDb: -6, delay: ms(11), tuner: { cents: 7 } }],
      ['right double', { placement: right, levelDb: -6, delay: ms(17), tuner: { cents: -7 } }],
    ]),
  },
  {
    id: 'mirrored',
    name: 'Mirrored',
    sentence:
      'A copy 14 ms late is added to the left and taken from the right: wide without a leading side, and the fold is the plain take exactly. For anything that has to survive one speaker.',
    suits: ['driven'],
    promise: { foldDb: [-3, -0.8], widthDb: [-6, 0], leads: null, combed: false },
    image: image([
      ['anchor', {}],
      ['difference', { placement: { kind: 'mirror' }, levelDb: -3, delay: ms(14) }],
    ]),
  },
  {
    id: 'a-hair-late',
    name: 'A hair late',
    sentence:
      'The right side comes 0.5 ms after the left: it only leans to the left, without a level difference. The fold keeps its lows and is cut round 1 kHz. For placing a part aside without panning it.',
    suits: [],
    meant: ['only-a-copy'],
    promise: {
      foldDb: [-5, -0.1],
      widthDb: [-30, 4],
      leads: 'L',
      combed: true,
      onFewTones: { foldDb: [-7, 0], widthDb: [-30, 6] },
    },
    image: image([
      ['left', { placement: left }],
      ['right late', { placement: right, delay: ms(0.5) }],
    ]),
  },
  {
    id: 'both-late',
    name: 'Both sides late',
    sentence:
      'The original stays in the middle; copies come 9 ms late on the left and 23 ms on the right, 5 dB under it. The fold loses about 1 dB and is combed lightly. For parts that keep their place.',
    suits: ['chords', 'driven'],
    promise: { foldDb: [-3, 0.5], widthDb: [-11, -2], leads: null, combed: false },
    image: image([
      ['anchor', {}],
      ['left late', { placement: left, levelDb: -5, delay: ms(9) }],
      ['right late', { placement: right, levelDb: -5, delay: ms(23) }],
    ]),
  },
  {
    id: 'two-slaps',
    name: 'Two slaps',
    sentence:
      'Slaps of 100 ms on the left and 149 ms on the right, darkened and 8 dB under the original: width from the room behind it. The fold loses about half a dB and is not hollow. For voices and leads with space round them.',
    suits: ['single lines'],
    meant: ['echo'],
    promise: {
      foldDb: [-2, 0.3],
      widthDb: [-18, -5],
      leads: null,
      combed: false,
      onFewTones: { foldDb: [-2, 0.3], widthDb: [-22, -5] },
    },
    image: image([
      ['anchor', {}],
      [
        'left slap',
        { placement: left, levelDb: -8, delay: ms(100), tone: { lowCutHz: 150, highCutHz: 5000 } },
      ],
      [
        'right slap',
        { placement: right, levelDb: -8, delay: ms(149), tone: { lowCutHz: 150, highCutHz: 5000 } },
      ],
    ]),
  },
  {
    id: 'drifting-pair',
    name: 'Drifting pair',
    sentence:
      'Two copies in place of the original wander up to 9 ms early and late, each by itself, hard left and right: like two players. The fold loses some 3 dB, and its comb moves all the time. For chords and layers.',
    suits: ['chords', 'single lines', 'driven', 'struck'],
    promise: {
      foldDb: [-4.5, -1.5],
      widthDb: [-3, 3],
      leads: null,
      combed: 'at times',
      onFewTones: { foldDb: [-7, -0.1], widthDb: [-12, 6] },
    },
    image: image([
      [
        'left wander',
        { placement: left, delay: ms(10), drift: { rangeMs: 9, rateHz: 0.4, seed: 11 } },
      ],
      [
        'right wander',
        { placement: right, delay: ms(10), drift: { rangeMs: 9, rateHz: 0.33, seed: 29 } },
      ],
    ]),
  },
  {
    id: 'drifting-flanks',
    name: 'Drifting flanks',
    sentence:
      'The original stays; one copy wanders round 12 ms early on the left and one round 15 ms late on the right, 6 dB under it. The fold loses about 1 dB. For voices that should sound sung twice.',
    suits: ['single lines'],
    promise: {
      foldDb: [-3, 0.2],
      widthDb: [-12, -3],
      leads: null,
      combed: false,
      onFewTones: { foldDb: [-3, 0.2], widthDb: [-15, -3] },
    },
    image: image([
      ['anchor', {}],
      [
        'left early',
        {
          placement: left,
          levelDb: -6,
          delay: ms(-12),
          drift: { rangeMs: 6, rateHz: 0.5, seed: 3 },
        },
      ],
      [
        'right late',
        {
          placement: right,
          levelDb: -6,
          delay: ms(15),
          drift: { rangeMs: 6, rateHz: 0.43, seed: 8 },
        },
      ],
    ]),
  },
  {
    id: 'doubles-alone',
    name: 'Doubles alone',
    sentence:
      'Two copies 9 cents up and down, 12 and 19 ms late, in place of the original: as wide as two takes, and a little early on the left. The fold loses 3 dB, as any two unlike sides do, and is hollow for moments only. For backing lines.',
    suits: ['single lines'],
    promise: {
      foldDb: [-4, -2],
      widthDb: [-2.5, 2.5],
      leads: 'L',
      combed: 'at times',
      onFewTones: { foldDb: [-7, -1.5], widthDb: [-4, 5] },
    },
    image: image([
      ['left double', { placement: left, delay: ms(12), tuner: { cents: 9 } }],
      ['right double', { placement: right, delay: ms(19), tuner: { cents: -9 } }],
    ]),
  },
  {
    id: 'chord-doubles',
    name: 'Chord doubles',
    sentence:
      'The tuner for chords, 6 cents up and down, 13 and 21 ms late, 5 dB under the original and four fifths wet. The fold loses about 1 dB. For keys and strummed parts.',
    suits: ['chords'],
    promise: { foldDb: [-3, 0.3], widthDb: [-11, -2], leads: null, combed: false },
    image: image([
      ['anchor', {}],
      [
        'left double',
        {
          placement: left,
          levelDb: -5,
          delay: ms(13),
          tuner: { kind: 'chords', cents: 6, mixPercent: 80 },
        },
      ],
      [
        'right double',
        {
          placement: right,
          levelDb: -5,
          delay: ms(21),
          tuner: { kind: 'chords', cents: -6, mixPercent: 80 },
        },
      ],
    ]),
  },
  {
    id: 'struck-doubles',
    name: 'Struck doubles',
    sentence:
      'The tuner for struck sounds, 8 cents up and down, only 4 and 9 ms late, so that nothing is heard twice, 5 dB under the original. The fold loses about 1 dB. For percussion and plucked parts.',
    suits: ['struck'],
    promise: { foldDb: [-3.5, 0.5], widthDb: [-11, -2], leads: null, combed: false },
    image: image([
      ['anchor', {}],
      [
        'left double',
        { placement: left, levelDb: -5, delay: ms(4), tuner: { kind: 'struck', cents: 8 } },
      ],
      [
        'right double',
        { placement: right, levelDb: -5, delay: ms(9), tuner: { kind: 'struck', cents: -8 } },
      ],
    ]),
  },
  {
    id: 'two-tones',
    name: 'Two tones',
    sentence:
      'Left darker, right brighter and 11 ms late: the sides differ in colour as well as in time. The fold loses 3 to 4 dB and is combed as by any late side. For driven and dense parts.',
    suits: ['driven'],
    meant: ['leads', 'squash-differs'],
    promise: {
      foldDb: [-4.5, -1.5],
      widthDb: [-3, 3],
      leads: 'L',
      combed: true,
      onFewTones: { foldDb: [-7, -0.8], widthDb: [-8, 6] },
    },
    image: image([
      ['left dark', { placement: left, tone: { tiltDb: -5, lowCutHz: null, highCutHz: 7000 } }],
      ['right bright', { placement: right, delay: ms(11), tone: { tiltDb: 5, lowCutHz: 120 } }],
    ]),
  },
  {
    id: 'odd-and-even',
    name: 'Odd and even',
    sentence:
      'The left side gets odd harmonics, the right one even ones and comes 10 ms late: two colours of one sound. The fold loses some 3 dB. For clean parts that want an edge.',
    suits: [],
    meant: ['only-a-copy', 'leads', 'squash-differs'],
    promise: {
      foldDb: [-4.5, -1.5],
      widthDb: [-3, 3],
      leads: 'L',
      combed: true,
      onFewTones: { foldDb: [-7.5, -0.8], widthDb: [-8, 7] },
    },
    image: image([
      ['left odd', { placement: left, colour: { oddPercent: 90 } }],
      ['right even', { placement: right, delay: ms(10), colour: { evenPercent: 90 } }],
    ]),
  },
  {
    id: 'phase-spread',
    name: 'Phase spreading',
    sentence:
      'Both sides pass through unlike all-pass filters, up to 60° apart from 150 Hz on: gently wide, neither side leads. The fold loses less than 1.3 dB anywhere. For low and delicate parts.',
    suits: ['low', 'single lines', 'chords', 'struck'],
    promise: {
      foldDb: [-1.3, 0],
      widthDb: [-22, -4],
      leads: null,
      combed: false,
      onFewTones: { foldDb: [-1.3, 0], widthDb: [-28, -4] },
    },
    image: image([['spread', { placement: { kind: 'spread', degrees: 60 } }]]),
  },
  {
    id: 'phase-spread-wide',
    name: 'Phase spreading, wide',
    sentence:
      'Unlike all-pass filters up to 110° apart: clearly wide, neither side leads. The fold loses up to 4.9 dB where the sides are farthest apart, some 2 dB in all. For pads.',
    suits: ['chords'],
    meant: ['spread-too-strong'],
    promise: {
      foldDb: [-4, -0.2],
      widthDb: [-16, 1],
      leads: null,
      combed: false,
      onFewTones: { foldDb: [-4, 0.1], widthDb: [-24, 1] },
    },
    image: image([['spread', { placement: { kind: 'spread', degrees: 110 } }]]),
  },
  {
    id: 'low-held',
    name: 'Late above the bass',
    sentence:
      'One side 16 ms late, but what lies below 140 Hz stays in the middle at its level, and no side leads there; a bright part leads to the left. The fold keeps its low end and loses some 3 dB above. For bass lines and anything with weight.',
    suits: ['low', 'driven'],
    meant: ['leads'],
    promise: {
      foldDb: [-4.5, -0.1],
      widthDb: [-16, 2],
      leads: 'L where bright',
      combed: true,
      onFewTones: { foldDb: [-6, 0], widthDb: [-20, 4] },
    },
    image: image(
      [
        ['left', { placement: left }],
        ['right late', { placement: right, delay: ms(16) }],
      ],
      { lowMono: { hz: 140, kind: 'anchor' } },
    ),
  },
  {
    id: 'mirrored-drift',
    name: 'Wandering mirror',
    sentence:
      'A mirrored copy wanders round 17 ms: wide and never still, and the fold is the plain take exactly. Brighter in the difference, with its low end cut. For pads and held notes.',
    suits: ['chords', 'single lines'],
    promise: {
      foldDb: [-3, -0.3],
      widthDb: [-9, 1],
      leads: null,
      combed: false,
      onFewTones: { foldDb: [-3, 0], widthDb: [-20, 1] },
    },
    image: image(
      [
        ['anchor', {}],
        [
          'difference',
          {
            placement: { kind: 'mirror' },
            levelDb: -2,
            delay: ms(17),
            drift: { rangeMs: 5, rateHz: 0.3, seed: 5 },
          },
        ],
      ],
      { lowMono: { hz: 120, kind: 'difference' }, tiltDb: 2 },
    ),
  },
  {
    id: 'retuned-layer',
    name: 'Retuned layer',
    sentence:
      'Under the original lies a copy whose timbre is moved down by 4 semitones while the pitch stays: weight, but no width of its own; a small mirrored copy adds that. The fold is both in the middle. For thin parts.',
    suits: ['single lines', 'driven'],
    meant: ['squash-differs', 'level-flatters'],
    promise: { foldDb: [-1.5, 0], widthDb: [-18, -5], leads: null, combed: false },
    image: image([
      ['anchor', {}],
      ['weight', { levelDb: -7, tuner: { timbreSemitones: -4 } }],
      ['difference', { placement: { kind: 'mirror' }, levelDb: -8, delay: ms(12) }],
    ]),
  },
  {
    id: 'opens-when-loud',
    name: 'Opens when loud',
    sentence:
      'Doubles 8 cents up and down whose width is raised to 150 % only where the take is loud: quiet passages stay narrower. The fold is the same at any width. For parts with a wide range of levels.',
    suits: ['single lines'],
    promise: { foldDb: [-5, -0.3], widthDb: [-10, 2], leads: null, combed: false },
    image: image(
      [
        ['anchor', {}],
        ['left double', { placement: left, levelDb: -5, delay: ms(10), tuner: { cents: 8 } }],
        ['right double', { placement: right, levelDb: -5, delay: ms(16), tuner: { cents: -8 } }],
      ],
      { widthPercent: 150, opening: { thresholdDb: -24, attackMs: 15, releaseMs: 250 } },
    ),
  },
  ...ampRecipes,
];

export function findRecipe(id: string): Recipe | undefined {
  return recipes.find((recipe) => recipe.id === id);
}
