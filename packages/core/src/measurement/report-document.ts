import type { StereoReport } from './report.ts';

/**
 * A report as it is written: the keys of docs/image-file.md, the findings, and what was measured beyond them under `more`.
 * @param findings code and sentence of each
 */
export function reportDocument(
  report: StereoReport,
  findings: readonly { readonly code: string; readonly sentence: string }[],
) {
  const { loudnessRangeLu, dynamics, sideToMidBands, bandSides, low, comb, overTime, ...rest } =
    report;
  const { bandsAlike, fold, leadMs, leanDb, dcDb, hum, dropOuts, levelRatio, ...first } = rest;
  const { dipDoubtDb, sureDipDb, dropDoubtLu, ...kept } = fold;
  return {
    ...first,
    fold: kept,
    leadMs,
    leanDb,
    findings: findings.map(({ code, sentence }) => ({ code, sentence })),
    more: {
      bandsAlike,
      dipDoubtDb,
      sureDipDb,
      dropDoubtLu,
      loudnessRangeLu,
      dynamics,
      sideToMidBands,
      low,
      comb,
      overTime,
      dcDb,
      hum,
      dropOuts,
      levelRatio,
      bandSides,
    },
  };
}
