/** What a figure is, in two sentences, and where its definition comes from. */
export interface Definition {
  readonly label: string;
  readonly unit: string;
  readonly text: string;
  readonly source: string;
}

/** Behind every figure that is shown; docs/measures.md has the formulas. */
export const definitions = {
  verdict: {
    label: 'Verdict',
    unit: '',
    text: 'The fold holds up to a drop of 3.5 LU, a dip of 3 dB and 10 LU lost in any 3 s, and is to be watched up to 6, 6 and 15. Only what is sure counts: of a short stretch a dip of two performances may be chance.',
    source: 'common practice',
  },
  drop: {
    label: 'Drop',
    unit: 'LU',
    text: 'By how much softer the fold is than plain’s fold, when both are equally loud in stereo. Two unrelated sides drop by 3 LU.',
    source: 'loudness: ITU-R BS.1770-5',
  },
  sideToMid: {
    label: 'S/M',
    unit: 'dB',
    text: 'Energy of the difference (L−R)/2 against the middle (L+R)/2: how wide it is. 0 dB are unrelated sides, −50 dB and less is still mono.',
    source: 'M = (L+R)/2, S = (L−R)/2; still mono: common practice',
  },
  lead: {
    label: 'Lead',
    unit: 'ms',
    text: 'Which side speaks first, and by how much, from the delays of the voices; of a file from the one lag at which all frequencies agree and levels rise, if there is one. Where voices are tuned or drift they wander round it.',
    source:
      'voices within 10 dB of the loudest of a side: common practice; of a file: smoothed coherence transform (Knapp and Carter 1976), rises of level: our own',
  },
  lean: {
    label: 'Lean',
    unit: 'dB',
    text: 'Energy of L against R: on which side the image is heavier. From 1.5 dB on it pulls aside.',
    source: 'threshold: common practice',
  },
  correlation: {
    label: 'Correlation',
    unit: '',
    text: 'Σlr / √(Σl²·Σr²) at lag 0: +1 for equal sides, 0 for unrelated ones, −1 for opposite ones. Under −0.5 the sides cancel in the fold.',
    source: 'Pearson; threshold: common practice',
  },
  likeness: {
    label: 'Likeness',
    unit: '',
    text: 'The largest peak of the normalised cross-correlation within ±320 ms, with its sign and its lag. Near 1 one side is a copy of the other at that lag; separate performances lie far lower.',
    source: 'normalised cross-correlation',
  },
  dip: {
    label: 'Deepest dip',
    unit: 'dB',
    text: 'The lowest point of the fold’s colour in sixth octaves, within 20 dB of the part’s strongest band, and by how much it may be less for want of time to tell. It tells how hollow one speaker sounds.',
    source: 'common practice; doubt: 2.5 standard errors over its moments (Newey and West 1987)',
  },
  loudness: {
    label: 'Loudness',
    unit: 'LUFS',
    text: 'Integrated loudness, K-weighted and gated, of what was measured. Plain and drafts are matched by it.',
    source: 'ITU-R BS.1770-5',
  },
  truePeak: {
    label: 'True peak',
    unit: 'dBTP',
    text: 'The highest value of the waveform between the samples. Over −1 dBTP it may clip where it is converted.',
    source: 'ITU-R BS.1770-5 annex 2; EBU R 128',
  },
  range: {
    label: 'Loudness range',
    unit: 'LU',
    text: 'From the soft tenth to the loudest twentieth of the short-term loudness. Less of it is denser.',
    source: 'EBU Tech 3342',
  },
  crest: {
    label: 'Crest',
    unit: 'dB',
    text: 'Highest sample over the RMS of what sounds, of each side. A driven or compressed side has less of it.',
    source: 'common practice',
  },
  spread: {
    label: 'Fall',
    unit: 'dB',
    text: 'How far a side falls from its loud tenth to its soft one, in blocks of 100 ms. A squashed side falls less, so it stands out where chords are held.',
    source: 'common practice',
  },
  bands: {
    label: 'S/M in three bands',
    unit: 'dB',
    text: 'S/M up to 200 Hz, to 2.5 kHz, and above. A low end that is wide is soft on speakers.',
    source: 'edges: common practice',
  },
  low: {
    label: 'Low end',
    unit: 'dB',
    text: 'Level under 200 Hz against that of plain, at equal loudness, in stereo and in the fold. Below 0 the voices have cut it or are against each other.',
    source: 'edge: common practice',
  },
  beats: {
    label: 'Beats',
    unit: 'Hz',
    text: 'How often each ear’s sound swells and falls at 440 Hz where voices of different tuning meet in it, and by how much. Above 2.5 Hz it is heard as chorusing.',
    source: 'superposition: |f₁ − f₂|, 20·log₁₀((a+b)/|a−b|)',
  },
  comb: {
    label: 'Comb',
    unit: 'Hz',
    text: 'The first notches that a late copy cuts into the fold, as found in the sound, and how deep they are. They lie at (2k+1)/2τ, or at k/τ where the polarity is opposite.',
    source: 'superposition of delayed copies',
  },
  loss: {
    label: 'Loss by third octave',
    unit: 'dB',
    text: '10·log₁₀((1+ρ)/2) of each band: 0 for equal sides, −3 for unrelated ones, below that they cancel. The line is the fold’s fine colour, the thin one what the voices predict.',
    source: 'bands: IEC 61260-1',
  },
  overTime: {
    label: 'Fold over time',
    unit: 'LU',
    text: 'Loudness of the fold against the stereo, in windows of 3 s. The worst one is marked: press it to hear it.',
    source: 'short term: EBU Tech 3341',
  },
  matched: {
    label: 'Matched',
    unit: 'LU',
    text: 'What is compared is made equally loud, in stereo or in the fold, and never raised over −1 dBTP. Nothing of it is exported.',
    source: 'ITU-R BS.1770-5',
  },
} as const satisfies Readonly<Record<string, Definition>>;

export type Figure = keyof typeof definitions;
