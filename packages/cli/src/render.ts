import { readFile } from 'node:fs/promises';
import { resolve } from 'node:path';
import { parseArgs } from 'node:util';
import { voiceNeeds } from '@pannet/core/derived/splice-library';
import { arrangedSource } from '@pannet/core/derived/take-source';
import { reportDocument } from '@pannet/core/measurement/report-document';
import { findingsOf } from '@pannet/core/findings/findings';
import type { WrittenBits } from '@pannet/core/formats/wav-write';
import { readImageFile, type ImageFile } from '@pannet/core/image/image-file';
import { integratedLoudness } from '@pannet/core/measurement/loudness';
import { measureStereo } from '@pannet/core/measurement/report';
import { TruePeakMeter } from '@pannet/core/measurement/true-peak';
import { failure, success, type Outcome } from '@pannet/core/outcome';
import { db, dbToGain } from '@pannet/core/quantities/units';
import { figure } from '@pannet/core/quantities/wording';
import { planImage, type PlannedTake } from '@pannet/core/rendering/compile';
import { planOf } from '@pannet/core/rendering/song-nodes';
import { prepareSplices, renderStretch } from '@pannet/core/rendering/offline';
import type { RenderPlan } from '@pannet/core/rendering/plan';
import type { BlockLoader, PcmSource } from '@pannet/core/sources/blocks';
import { rateParameter } from '@pannet/core/parameters/tables';
import { readFacts, readWavBlock } from '@pannet/core/sources/wav-blocks';
import type { SplicePlan } from '@pannet/core/voices/splices';
import { arrangeTakes } from './arrange-takes.ts';
import { checkOutputs, fileFailure } from './paths.ts';
import { openImpulses, type OpenedImpulse } from './impulses.ts';
import { OutputFiles } from './output-files.ts';
import { closeTakes, openTakes, takePath, type OpenedTake } from './takes.ts';

export interface RenderRequest {
  readonly image: string;
  readonly takes: readonly string[];
  readonly out: string;
  readonly bits: WrittenBits | undefined;
  readonly rateHz: number | undefined;
  readonly report: string | undefined;
  readonly plain: string | undefined;
}

/** Reads the words behind `./pannet render`; paths are taken from `folder`. */
export function readRenderWords(words: string[], folder: string): Outcome<RenderRequest> {
  const { values } = parseArgs({
    args: words,
    options: {
      image: { type: 'string' },
      take: { type: 'string', multiple: true },
      out: { type: 'string' },
      bits: { type: 'string' },
      rate: { type: 'string' },
      report: { type: 'string' },
      plain: { type: 'string' },
    },
  });
  const at = (path: string) => resolve(folder, path);
  if (!values.image) return failure('missing-option', 'Say which image: --image FILE.json.');
  if (!values.take?.length) return failure('missing-option', 'Say which take: --take A.wav.');
  if (!values.out) return failure('missing-option', 'Say where to: --out OUT.wav.');
  if (values.bits !== undefined && !['16', '24', '32f'].includes(values.bits))
    return failure('bad-bits', `--bits must be 16, 24 or 32f; it was “${values.bits}”.`);
  const rateHz = values.rate === undefined ? undefined : Number(values.rate);
  if (
    rateHz !== undefined &&
    !(Number.isInteger(rateHz) && rateHz >= rateParameter.min && rateHz <= rateParameter.max)
  )
    return failure(
      'bad-rate',
      `--rate must be a whole number of Hz from ${rateParameter.min} to ${rateParameter.max}; it was “${values.rate}”.`,
    );
  return success({
    image: at(values.image),
    takes: values.take.map(at),
    out: at(values.out),
    bits: values.bits as WrittenBits | undefined,
    rateHz,
    report: values.report && at(values.report),
    plain: values.plain && at(values.plain),
  });
}

/**
 * Renders an image over takes into files. Nothing is normalised or limited.
 * @param say told of warnings
 */
export async function render(
  request: RenderRequest,
  say: (line: string) => void,
): Promise<Outcome<void>> {
  const paths = await checkPaths(request);
  if (!paths.ok) return paths;
  const takes: OpenedTake[] = [];
  try {
    for (const words of request.takes) {
      const opened = await openTakes(words, request.rateHz, say);
      if (!opened.ok) return opened;
      takes.push(...opened.value);
    }
    return await renderOver(takes, request, say);
  } finally {
    await closeTakes(takes);
  }
}

function checkPaths(request: RenderRequest): Promise<Outcome<void>> {
  return checkOutputs(
    [
      { option: '--image', path: request.image },
      ...request.takes.map((words) => ({ option: '--take', path: takePath(words) })),
    ],
    outputsOf(request),
  );
}

function outputsOf({ out, plain, report }: RenderRequest) {
  return [
    { option: '--out', path: out },
    ...(plain === undefined ? [] : [{ option: '--plain', path: plain }]),
    ...(report === undefined ? [] : [{ option: '--report', path: report }]),
  ];
}

async function renderOver(
  takes: readonly OpenedTake[],
  request: RenderRequest,
  say: (line: string) => void,
): Promise<Outcome<void>> {
  const rateHz = takes[0].layout.rateHz;
  const fits = checkTakes(takes);
  if (!fits.ok) return fits;
  const file = await readImage(request.image, rateHz, takes.length);
  if (!file.ok) return file;
  const impulses = await openImpulses(
    request.image,
    file.value.image,
    rateHz,
    outputsOf(request),
    say,
  );
  if (!impulses.ok) return impulses;
  try {
    const prepared = await preparePlan(takes, impulses.value, file.value, say);
    return prepared.ok ? await writeRendered(takes, prepared.value, request, say) : prepared;
  } finally {
    await closeTakes(impulses.value);
  }
}

async function writeRendered(
  takes: readonly OpenedTake[],
  prepared: PreparedPlan,
  request: RenderRequest,
  say: (line: string) => void,
): Promise<Outcome<void>> {
  const { plan, load } = prepared;
  const { rateHz } = plan;
  const [part] = plan.parts;
  const float = takes.some((take) => take.layout.encoding === 'float');
  const bits = request.bits ?? (float ? '32f' : '24');

  const files = new OutputFiles(say);
  try {
    // Opened before anything is rendered, so that what cannot be written is said at once.
    for (const path of [request.out, ...(request.plain === undefined ? [] : [request.plain])]) {
      const opened = await files.openWav(path, part.frames, rateHz, bits);
      if (!opened.ok) return opened;
    }
    if (request.report !== undefined) {
      const opened = await files.openText(request.report);
      if (!opened.ok) return opened;
    }
    const { left, right } = await renderStretch(plan, part.id, load, 0, part.frames);
    let written = await files.writeWav(left, right);
    if (written.ok && request.plain !== undefined)
      written = await files.writeWav(...(await matchedPlain(prepared, left, right, say)));
    if (!written.ok) return written;
    warnOfPeaks(left, right, rateHz, say);
    if (request.report !== undefined) {
      const reported = await files.writeText(reportOf(left, right, rateHz, say));
      if (!reported.ok) return reported;
    }
    return await files.finish();
  } finally {
    await files.discard();
  }
}

async function matchedPlain(
  { plan, load }: PreparedPlan,
  left: Float32Array,
  right: Float32Array,
  say: (line: string) => void,
): Promise<[Float32Array, Float32Array]> {
  const [part] = plan.parts;
  const plain = await renderStretch(plan, part.id, load, 0, part.frames, 'plain');
  const difference =
    integratedLoudness([left, right], plan.rateHz) -
    integratedLoudness([plain.left, plain.right], plan.rateHz);
  if (!Number.isFinite(difference)) return [plain.left, plain.right];
  say(`Plain is matched to the image by ${figure(difference, 2)} dB.`);
  const match = 10 ** (difference / 20);
  return [plain.left.map((value) => value * match), plain.right.map((value) => value * match)];
}

function warnOfPeaks(
  left: Float32Array,
  right: Float32Array,
  rateHz: number,
  say: (line: string) => void,
): void {
  const peaks = new TruePeakMeter(rateHz, 2);
  peaks.process([left, right], left.length);
  const truePeak = peaks.truePeakDbtp();
  if (truePeak > -1) say(`Warning: the true peak is ${figure(truePeak, 2)} dBTP, over −1 dBTP.`);
}

/** Measures, warns of what was found, and gives the report back as text. */
function reportOf(
  left: Float32Array,
  right: Float32Array,
  rateHz: number,
  say: (line: string) => void,
): string {
  const { report } = measureStereo(left, right, rateHz);
  const findings = findingsOf(report);
  for (const { code, sentence } of findings)
    // Of its peaks it was warned already.
    if (code !== 'nothing-wrong' && code !== 'over-peak') say(`Warning: ${sentence}`);
  return `${JSON.stringify(reportDocument(report, findings), null, 2)}\n`;
}

export function checkTakes(takes: readonly OpenedTake[]): Outcome<void> {
  const rateHz = takes[0].layout.rateHz;
  const other = takes.find(({ layout }) => layout.rateHz !== rateHz);
  if (!other) return success(undefined);
  return failure(
    'other-rate',
    `The takes have different rates (${rateHz} and ${other.layout.rateHz} Hz); they must be the same. “--rate ${rateHz}” converts them.`,
  );
}

export async function readImage(
  path: string,
  rateHz: number,
  takes: number,
): Promise<Outcome<ImageFile>> {
  let text: string;
  try {
    text = await readFile(path, 'utf8');
  } catch (error) {
    return fileFailure(path, 'opened', error);
  }
  let json: unknown;
  try {
    json = JSON.parse(text);
  } catch (error) {
    return failure('not-json', `“${path}” is not JSON: ${(error as Error).message}.`);
  }
  const file = readImageFile(json, rateHz, takes);
  if (file.ok) return file;
  const { code, sentence, place } = file.error;
  return failure(code, `“${path}”${place ? ` at ${place}` : ''}: ${sentence}`, place);
}

interface PreparedPlan {
  readonly plan: RenderPlan;
  readonly load: BlockLoader;
}

async function preparePlan(
  takes: readonly OpenedTake[],
  impulses: readonly OpenedImpulse[],
  file: ImageFile,
  say: (line: string) => void,
): Promise<Outcome<PreparedPlan>> {
  const { image, panLaw, preparation } = file;
  const rateHz = takes[0].layout.rateHz;
  const raw = takes.map(({ layout }, n): PcmSource => ({
    key: `take-${n + 1}`,
    frames: layout.frames,
  }));
  // What is read of one is kept by its key: by file and rate, which are not those of another command in the same process.
  const responses = impulses.map(({ name, layout }): PcmSource => ({
    key: `${name}@${layout.rateHz}`,
    frames: layout.frames,
  }));
  const all = [...takes, ...impulses];
  const keys = [...raw, ...responses].map(({ key }) => key);
  const load: BlockLoader = (source, index) => {
    const { bytes, layout, channel } = all[keys.indexOf(source.key)];
    return readWavBlock(bytes, layout, channel, index);
  };
  const arranged = await arrangeTakes(file.takes, raw, takes, rateHz, load, say);
  if (!arranged.ok) return arranged;
  const sources = raw.map((source, n) => arrangedSource(source, arranged.value[n], rateHz));
  const splices = new Map<string, SplicePlan>();
  for (const need of voiceNeeds(image.voices, sources))
    splices.set(need.key, await prepareSplices(need, rateHz, load));
  const planned: PlannedTake[] = [];
  for (const [n, source] of sources.entries()) {
    const { peak, notFinite } = await readFacts(takes[n].bytes, takes[n].layout);
    if (notFinite > 0 && takes[n].channel === 0)
      say(
        `Warning: ${notFinite} samples of “${takes[n].name}” are no numbers (NaN or infinite) and are taken for silence.`,
      );
    const own = file.takes.at(n);
    planned.push({
      source,
      peak,
      preparation: own?.preparation ?? null,
      level: dbToGain(db(own?.levelDb ?? 0)),
    });
  }
  const response = (name: string) => responses[impulses.findIndex(({ called }) => called === name)];
  const made = { image, preparation, panLaw, level: 1, impulses: response };
  const part = planImage('image', made, rateHz, planned, splices);
  return success({ plan: planOf([part], rateHz, part.frames), load });
}
