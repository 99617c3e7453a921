import { resolve } from 'node:path';
import { parseArgs } from 'node:util';
import { makingLoader } from '@pannet/core/derived/making';
import { arrangedSource } from '@pannet/core/derived/take-source';
import { measureStereo } from '@pannet/core/measurement/report';
import { failure, success, type Outcome } from '@pannet/core/outcome';
import { alignmentParameters } from '@pannet/core/parameters/tables';
import { figure } from '@pannet/core/quantities/wording';
import { framesReader, type BlockLoader, type PcmSource } from '@pannet/core/sources/blocks';
import { readWavBlock } from '@pannet/core/sources/wav-blocks';
import { lineUp, median, type LinedUp } from '@pannet/core/takes/line-up/line-up';
import { placeOnPath } from '@pannet/core/takes/line-up/path';
import type { Align } from '@pannet/core/takes/take';
import { OutputFiles } from './output-files.ts';
import { checkOutputs } from './paths.ts';
import { closeTakes, openTakes, takePath, type OpenedTake } from './takes.ts';

export interface AlignRequest {
  readonly reference: string;
  readonly take: string;
  readonly out: string;
  readonly tightness: number;
  readonly report: string | undefined;
}

/** Reads the words behind `./pannet align`; paths are taken from `folder`. */
export function readAlignWords(words: string[], folder: string): Outcome<AlignRequest> {
  const { values } = parseArgs({
    args: words,
    options: {
      reference: { type: 'string' },
      take: { type: 'string' },
      out: { type: 'string' },
      tightness: { type: 'string' },
      report: { type: 'string' },
    },
  });
  const at = (path: string) => resolve(folder, path);
  if (!values.reference)
    return failure('missing-option', 'Say what to line up with: --reference REF.wav.');
  if (!values.take) return failure('missing-option', 'Say which take: --take TAKE.wav.');
  if (!values.out) return failure('missing-option', 'Say where to: --out OUT.wav.');
  const { min, max, default: usual } = alignmentParameters.tightnessPercent;
  const tightness = values.tightness === undefined ? usual : Number(values.tightness);
  if (values.tightness === '' || !(tightness >= min && tightness <= max))
    return failure(
      'bad-tightness',
      `--tightness must be a number from ${min} to ${max}; it was “${values.tightness}”.`,
    );
  return success({
    reference: at(values.reference),
    take: at(values.take),
    out: at(values.out),
    tightness,
    report: values.report && at(values.report),
  });
}

/** Writes a take lined up with a reference, at that one's length and rate. */
export async function align(
  request: AlignRequest,
  say: (line: string) => void,
): Promise<Outcome<void>> {
  const paths = await checkOutputs(
    [
      { option: '--reference', path: takePath(request.reference) },
      { option: '--take', path: takePath(request.take) },
    ],
    [
      { option: '--out', path: request.out },
      ...(request.report === undefined ? [] : [{ option: '--report', path: request.report }]),
    ],
  );
  if (!paths.ok) return paths;
  const opened: OpenedTake[] = [];
  try {
    const reference = await oneTake(request.reference, undefined, say);
    if (!reference.ok) return reference;
    opened.push(reference.value);
    const take = await oneTake(request.take, reference.value.layout.rateHz, say);
    if (!take.ok) return take;
    opened.push(take.value);
    return await alignOpened(reference.value, take.value, request, say);
  } finally {
    await closeTakes(opened);
  }
}

async function oneTake(
  words: string,
  rateHz: number | undefined,
  say: (line: string) => void,
): Promise<Outcome<OpenedTake>> {
  const takes = await openTakes(words, rateHz, () => {});
  if (!takes.ok) return takes;
  const [first, second] = takes.value;
  first.remarks.forEach((remark) => say(remark));
  if (!second) return success(first);
  await closeTakes(takes.value);
  return failure(
    'two-takes',
    `“${words}” is stereo, which is two takes: say which one, “${words}#1” or “${words}#2”.`,
  );
}

async function alignOpened(
  reference: OpenedTake,
  take: OpenedTake,
  { out, tightness, report }: AlignRequest,
  say: (line: string) => void,
): Promise<Outcome<void>> {
  const { rateHz, frames } = reference.layout;
  const load: BlockLoader = (source, index) => {
    const { bytes, layout, channel } = source.key === 'reference' ? reference : take;
    return readWavBlock(bytes, layout, channel, index);
  };
  const sources: PcmSource[] = [
    { key: 'reference', frames },
    { key: 'take', frames: take.layout.frames },
  ];
  const [mine, other] = sources.map((source) => ({
    read: framesReader(source, load),
    frames: source.frames,
  }));
  const lined = await lineUp(mine, other, rateHz, tightness);
  if (lined.comparison.alien !== null)
    return failure('alien', `“${take.name}”: ${lined.comparison.alien} Nothing was written.`);
  const made = makingLoader(load);
  const put = (how: Omit<Align, 'to'>) =>
    arrangedSource(sources[1], { clips: null, align: { to: 'reference', ...how } }, rateHz);
  const read = (source: PcmSource) => framesReader(source, made)(0, frames);
  const samples = await read(put(lined.align));

  const files = new OutputFiles(say);
  try {
    const float = take.layout.encoding === 'float';
    const wav = await files.openWav(out, frames, rateHz, float ? '32f' : '24', 1);
    if (!wav.ok) return wav;
    if (report !== undefined) {
      const text = await files.openText(report);
      if (!text.ok) return text;
    }
    const written = await files.writeWav(samples);
    if (!written.ok) return written;
    if (report !== undefined) {
      const { offset, polarity } = lined.comparison;
      // Only moved as a whole: what the path adds to that is seen by itself.
      const moved = put({
        tightnessPercent: 0,
        polarity,
        path: { at: [0], shift: [offset], alike: [1] },
        anchors: [],
      });
      const plain = await mine.read(0, frames);
      const told = reportOf(lined, rateHz, {
        before: likeness(plain, await read(moved), rateHz),
        after: likeness(plain, samples, rateHz),
      });
      const kept = await files.writeText(`${JSON.stringify(told, null, 2)}\n`);
      if (!kept.ok) return kept;
    }
    const finished = await files.finish();
    if (finished.ok) say(summary(lined, rateHz));
    return finished;
  } finally {
    await files.discard();
  }
}

function likeness(reference: Float32Array, take: Float32Array, rateHz: number): number | null {
  return measureStereo(reference, take, rateHz).report.likeness?.value ?? null;
}

function reportOf(
  { comparison, align: { path } }: LinedUp,
  rateHz: number,
  likenesses: { readonly before: number | null; readonly after: number | null },
) {
  const { onsets, offset, polarity } = comparison;
  const ms = (frames: number) => Math.round((frames / rateHz) * 1e6) / 1000;
  const rows = onsets.map(({ at, late, sure }) => ({
    atS: Math.round((at / rateHz) * 1e6) / 1e6,
    beforeMs: ms(late),
    afterMs: ms((path ? placeOnPath(path, at + late) : at + late) - at),
    sure,
  }));
  const middle = (key: 'beforeMs' | 'afterMs') =>
    median(rows.filter(({ sure }) => sure).map((row) => Math.abs(row[key])));
  return {
    offsetMs: ms(offset),
    polarity,
    onsets: rows,
    medianBeforeMs: middle('beforeMs'),
    medianAfterMs: middle('afterMs'),
    likenessBefore: likenesses.before,
    likenessAfter: likenesses.after,
  };
}

function summary({ comparison: { onsets, offset, polarity } }: LinedUp, rateHz: number): string {
  const sure = onsets.filter((onset) => onset.sure).length;
  const ms = (offset / rateHz) * 1000;
  const where =
    ms === 0 ? 'in place' : `${figure(Math.abs(ms), 1)} ms ${ms > 0 ? 'late' : 'early'}`;
  return `It was ${where}${polarity === 'inverted' ? ', of the other polarity' : ''}; ${sure} of ${onsets.length} onsets were sure, the others went with those before them.`;
}
