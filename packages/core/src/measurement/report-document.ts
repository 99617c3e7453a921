import type { StereoReport } from './report.ts';

/**
 * A report as it is written: the keys of docs/image-file.md, the findings, and what was measured beyond them under `more`.
 * @param findings code and sentence of each
 */
export function reportDocument(
  report: StereoReport,
  findings: readonly { readonly code: string; readonly sentence: string }[],
) {
  const { loudnessRangeLu, dynamics, sideToMidBands, bandSides, low, comb, overTime, ...first } =
    report;
  return {
    ...first,
    findings: findings.map(({ code, sentence }) => ({ code, sentence })),
    more: { loudnessRangeLu, dynamics, sideToMidBands, low, comb, overTime, bandSides },
  };
}
