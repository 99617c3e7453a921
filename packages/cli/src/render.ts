import { readFile, writeFile } from 'node:fs/promises';
import { resolve } from 'node:path';
import { parseArgs } from 'node:util';
import { voiceNeeds } from '@pannet/core/derived/splice-library';
import { reportDocument } from '@pannet/core/measurement/report-document';
import { findingsOf } from '@pannet/core/findings/findings';
import type { WrittenBits } from '@pannet/core/formats/wav-write';
import { readImageFile, type ImageFile } from '@pannet/core/image/image-file';
import { integratedLoudness } from '@pannet/core/measurement/loudness';
import { measureStereo } from '@pannet/core/measurement/report';
import { failure, success, type Outcome } from '@pannet/core/outcome';
import { figure } from '@pannet/core/quantities/wording';
import { planImage, planOf, type PlannedTake } from '@pannet/core/rendering/compile';
import { prepareSplices, renderStretch } from '@pannet/core/rendering/offline';
import type { RenderPlan } from '@pannet/core/rendering/plan';
import type { BlockLoader, PcmSource } from '@pannet/core/sources/blocks';
import { rateParameter } from '@pannet/core/parameters/tables';
import { readFacts, readWavBlock } from '@pannet/core/sources/wav-blocks';
import type { SplicePlan } from '@pannet/core/voices/splices';
import { openTake, WavFileWriter, type OpenWav } from './wav-file.ts';

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
  const takes: OpenWav[] = [];
  try {
    for (const path of request.takes) {
      const take = await openTake(path, request.rateHz);
      if (!take.ok) return take;
      takes.push(take.value);
    }
    return await renderOver(takes, request, say);
  } finally {
    for (const take of takes) await take.close();
  }
}

async function renderOver(
  takes: readonly OpenWav[],
  request: RenderRequest,
  say: (line: string) => void,
): Promise<Outcome<void>> {
  const rateHz = takes[0].layout.rateHz;
  const fits = checkTakes(takes, request);
  if (!fits.ok) return fits;
  const file = await readImage(request.image, rateHz, takes.length);
  if (!file.ok) return file;
  const { plan, load } = await preparePlan(takes, file.value);
  const [part] = plan.parts;
  const { left, right } = await renderStretch(plan, part.id, load, 0, part.frames);
  const float = takes.some((take) => take.layout.encoding === 'float');
  const bits = request.bits ?? (float ? '32f' : '24');
  const measured = measureStereo(left, right, rateHz).report;

  const files: [string, Float32Array, Float32Array][] = [[request.out, left, right]];
  if (request.plain) {
    const plain = await renderStretch(plan, part.id, load, 0, part.frames, 'plain');
    const difference =
      integratedLoudness([left, right], rateHz) -
      integratedLoudness([plain.left, plain.right], rateHz);
    const match = Number.isFinite(difference) ? 10 ** (difference / 20) : 1;
    if (Number.isFinite(difference))
      say(`Plain is matched to the image by ${figure(difference, 2)} dB.`);
    files.push([
      request.plain,
      plain.left.map((value) => value * match),
      plain.right.map((value) => value * match),
    ]);
  }
  const written = await writeAll(files, rateHz, bits, say);
  if (!written.ok) return written;
  if (measured.truePeakDbtp !== null && measured.truePeakDbtp > -1)
    say(`Warning: the true peak is ${figure(measured.truePeakDbtp, 2)} dBTP, over −1 dBTP.`);
  if (request.report)
    await writeFile(
      request.report,
      `${JSON.stringify(reportDocument(measured, findingsOf(measured)), null, 2)}\n`,
    );
  return success(undefined);
}

function checkTakes(takes: readonly OpenWav[], request: RenderRequest): Outcome<void> {
  const rateHz = takes[0].layout.rateHz;
  for (const [n, { layout }] of takes.entries()) {
    if (layout.channels !== 1)
      return failure(
        'not-mono',
        `“${request.takes[n]}” is stereo; a take is mono. Split it into two files.`,
      );
    if (layout.rateHz !== rateHz)
      return failure(
        'other-rate',
        `The takes have different rates (${rateHz} and ${layout.rateHz} Hz); they must be the same. “--rate ${rateHz}” converts them.`,
      );
  }
  return success(undefined);
}

async function readImage(path: string, rateHz: number, takes: number): Promise<Outcome<ImageFile>> {
  let text: string;
  try {
    text = await readFile(path, 'utf8');
  } catch {
    return failure(
      'no-file',
      `“${path}” cannot be opened: there is no such file, or it may not be read.`,
    );
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

async function preparePlan(
  takes: readonly OpenWav[],
  { image, panLaw, preparation }: ImageFile,
): Promise<{ plan: RenderPlan; load: BlockLoader }> {
  const rateHz = takes[0].layout.rateHz;
  const sources: PcmSource[] = takes.map((take, n) => ({
    key: `take-${n + 1}`,
    frames: take.layout.frames,
  }));
  const load: BlockLoader = (source, index) => {
    const take = takes[sources.indexOf(source)];
    return readWavBlock(take.bytes, take.layout, 0, index);
  };
  const splices = new Map<string, SplicePlan>();
  for (const need of voiceNeeds(image.voices, sources))
    splices.set(need.key, await prepareSplices(need, rateHz, load));
  const planned: PlannedTake[] = [];
  for (const [n, source] of sources.entries()) {
    const { peak } = await readFacts(takes[n].bytes, takes[n].layout);
    planned.push({ source, peak });
  }
  const made = { image, preparation, panLaw, level: 1 };
  const part = planImage('image', made, rateHz, planned, splices);
  return { plan: planOf([part], rateHz, part.frames), load };
}

const piece = 65_536;

/** Writes all files, or leaves none behind. */
async function writeAll(
  files: readonly [string, Float32Array, Float32Array][],
  rateHz: number,
  bits: WrittenBits,
  say: (line: string) => void,
): Promise<Outcome<void>> {
  const writers: WavFileWriter[] = [];
  try {
    for (const [path, left, right] of files) {
      const writer = await WavFileWriter.create(path, left.length, rateHz, bits);
      if (!writer.ok) return writer;
      writers.push(writer.value);
      for (let at = 0; at < left.length; at += piece)
        await writer.value.write(left.subarray(at, at + piece), right.subarray(at, at + piece));
      if (writer.value.clipped > 0)
        say(
          `Warning: ${writer.value.clipped} samples of “${path}” lie over full scale and were held there.`,
        );
    }
    for (const writer of writers) await writer.finish();
    return success(undefined);
  } finally {
    for (const writer of writers) await writer.discard();
  }
}
