import { execFileSync } from 'node:child_process';

/** What ffmpeg's ebur128 filter says at the end of a file; `filters` go before it, each with a comma behind. */
export function ffmpegLoudness(
  path: string,
  filters = '',
): { lufs: number; peakDbtp: number; rangeLu: number } {
  const text = execFileSync(
    'ffmpeg',
    [
      '-hide_banner',
      '-nostats',
      '-i',
      path,
      '-af',
      `${filters}ebur128=metadata=1:peak=true,ametadata=print:file=-`,
      '-f',
      'null',
      '-',
    ],
    { encoding: 'utf8', maxBuffer: 1e9, stdio: ['ignore', 'pipe', 'ignore'] },
  );
  const last = (key: string) =>
    Number(
      text
        .match(new RegExp(`${key}=(\\S+)`, 'g'))
        ?.at(-1)
        ?.split('=')[1],
    );
  const peaks = [...text.matchAll(/lavfi\.r128\.true_peaks_ch\d=(\S+)/g)].map((match) =>
    Number(match[1]),
  );
  return {
    lufs: last('lavfi\\.r128\\.I'),
    rangeLu: last('lavfi\\.r128\\.LRA'),
    peakDbtp: 20 * Math.log10(peaks.reduce((a, b) => Math.max(a, b), 0)),
  };
}
