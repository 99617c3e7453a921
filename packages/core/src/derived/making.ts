import { bodyMemory, BodyRun, usuallyForgotten } from '../amps/body.ts';
import { impulseSamples } from '../amps/cabinet-response.ts';
import { builtImpulseFrames, cabinetImpulse } from '../amps/cabinet.ts';
import type { DriveAt } from '../amps/drive.ts';
import { DriveRun } from '../amps/drive-run.ts';
import { recordedImpulse, stretchedFrames } from '../amps/recorded-impulse.ts';
import { curveAt } from '../moves/curve.ts';
import { clampParameter } from '../parameters/parameter.ts';
import { ampParameters } from '../parameters/tables.ts';
import { openingMemory, OpeningRun } from '../image/opening.ts';
import { Cascade } from '../signal/cascade.ts';
import { Convolver } from '../signal/convolver.ts';
import { LongFir } from '../signal/long-fir.ts';
import { filterMemory } from '../signal/memory.ts';
import {
  blockFrames,
  blockLength,
  framesReader,
  type BlockLoader,
  type ReadFrames,
} from '../sources/blocks.ts';
import { addPiece } from '../takes/arrangement.ts';
import { preparationMemory, PreparationRun } from '../takes/preparation.ts';
import { ColourRun } from '../voices/colour.ts';
import { responseAt, responseHalf, type Response } from '../voices/response.ts';
import { moveTimbre, timbreReach } from '../voices/timbre.ts';
import { toneSections } from '../voices/tone.ts';
import { wear, wornReach } from '../voices/worn.ts';
import { isMade, isVocoded, type MadeSource, type MakingStep } from './made-source.ts';
import { VocodedSources, type Rest } from './vocoded-sources.ts';

// Taken out of `Math` once: looked up in a loop it is slow where globals are guarded, as under the test runner.
const { min, max, ceil, floor, log2 } = Math;

/** Frames before and after a block that a step has to see. */
interface Context {
  readonly behind: number;
  readonly ahead: number;
}

/** A step that forgets within this time sees that much before each block; one that remembers longer runs on. */
const shortMemoryMs = 340;

// Whole strides of 64, so that what is worked out every few frames falls on the same ones in every block.
const shortMemory = (rateHz: number) => ceil((shortMemoryMs * rateHz) / 64_000) * 64;

/** How long a step remembers, in frames, to −120 dB; 0 for one that sees a stretch of fixed length. */
export function stepMemory(step: MakingStep, rateHz: number): number {
  switch (step.kind) {
    case 'arranged':
    case 'timbre':
    case 'response':
    case 'colour':
    case 'drive':
    case 'cabinet':
    case 'worn':
    case 'vocoded':
      return 0;
    case 'preparation':
      return preparationMemory(step.preparation, rateHz);
    case 'body':
      return bodyMemory(step.body, rateHz, step.ratio);
    case 'tone':
      return filterMemory(toneSections(step.tone, rateHz, step.ratio));
    case 'opening':
      return openingMemory(step.opening, rateHz);
  }
}

type ArrangedSource = MadeSource & { readonly step: { readonly kind: 'arranged' } };

function isArranged(source: MadeSource): source is ArrangedSource {
  return source.step.kind === 'arranged';
}

type BlockStep = Exclude<MakingStep, { readonly kind: 'vocoded' | 'arranged' }>;

function contextOf(step: BlockStep, rateHz: number): Context {
  switch (step.kind) {
    case 'timbre':
      return { behind: timbreReach, ahead: timbreReach };
    case 'response':
      return { behind: responseHalf(rateHz), ahead: responseHalf(rateHz) };
    case 'colour':
      return { behind: shortMemory(rateHz), ahead: 256 };
    case 'drive':
      return { behind: 128, ahead: 128 };
    case 'cabinet':
      return { behind: impulseFrames(step, rateHz) - 1, ahead: 0 };
    case 'worn':
      return { behind: wornReach(step.worn, rateHz), ahead: 0 };
    case 'preparation':
    case 'body':
    case 'tone':
    case 'opening':
      return { behind: shortMemory(rateHz), ahead: 0 };
  }
}

/** Kernels of the responses and cabinets used last: they are dear to make and used for every block. */
const mostFirs = 64;
const firs = new Map<string, LongFir>();
const cabinetFirs = new Map<string, Promise<Convolver>>();

type CabinetStep = Extract<MakingStep, { readonly kind: 'cabinet' }>;

/** What is kept under a key, or made and kept; what was not used for long goes. */
function keptFir<Fir>(kept: Map<string, Fir>, key: string, make: () => Fir): Fir {
  const fir = kept.get(key) ?? make();
  kept.delete(key);
  kept.set(key, fir);
  if (kept.size > mostFirs) for (const oldest of kept.keys()) if (kept.delete(oldest)) break;
  return fir;
}

function firOf(response: Response, rateHz: number): LongFir {
  const at = (hz: number) => responseAt(response, hz, rateHz);
  const made = () => new LongFir(responseHalf(rateHz), rateHz, at);
  return keptFir(firs, JSON.stringify([response, rateHz]), made);
}

/** How many values the impulse response of a cabinet has. */
function impulseFrames({ cabinet, ratio }: CabinetStep, rateHz: number): number {
  return 'kind' in cabinet
    ? builtImpulseFrames(rateHz)
    : stretchedFrames(cabinet.impulse.frames, ratio);
}

/** @param usual how many frames it mostly filters at once */
function cabinetOf(
  step: CabinetStep,
  rateHz: number,
  usual: number,
  load: BlockLoader,
): Promise<Convolver> {
  const { cabinet, ratio } = step;
  const key = JSON.stringify([cabinet, ratio, rateHz]);
  const made = async () => {
    const impulse =
      'kind' in cabinet
        ? cabinetImpulse(cabinet, rateHz, ratio)
        : recordedImpulse(await impulseSamples(cabinet.impulse, load), cabinet, rateHz, ratio);
    return new Convolver(impulse, usual);
  };
  const convolver = keptFir(cabinetFirs, key, made);
  // What could not be read is asked for again.
  convolver.catch(() => cabinetFirs.delete(key));
  return convolver;
}

/**
 * Does a step for one block.
 * @param input the block with its context on both sides
 * @param start absolute frame of the block's first
 */
function makeBlock(
  source: MadeSource & { readonly step: BlockStep },
  input: Float32Array,
  { behind }: Context,
  start: number,
  count: number,
  load: BlockLoader,
): Float32Array | Promise<Float32Array> {
  const { step, rateHz } = source;
  switch (step.kind) {
    case 'timbre':
      return moveTimbre(input, count, start, step.semitones, rateHz);
    case 'response':
      return firOf(step.response, rateHz).process(input, count);
    case 'cabinet':
      return cabinetOf(step, rateHz, blockLength(source), load).then((cabinet) =>
        cabinet.process(input, count),
      );
    case 'worn':
      return wear(input, behind, start, count, step.worn, rateHz, step.seed);
    case 'drive': {
      new DriveRun(step.drive, driveAlong(step, rateHz), start - behind).process(input);
      const from = behind + DriveRun.latencyFrames;
      return input.slice(from, from + count);
    }
    case 'colour': {
      const samples = new Float64Array(input);
      new ColourRun(step.colour, step.peak, rateHz).process(samples);
      const from = behind + ColourRun.latencyFrames;
      return new Float32Array(samples.subarray(from, from + count));
    }
    case 'preparation':
    case 'body':
    case 'tone':
    case 'opening': {
      const samples = new Float64Array(input);
      runOf(step, rateHz).process(samples);
      return new Float32Array(samples.subarray(behind, behind + count));
    }
  }
}

/** How the drive of a step moves along the source; null where it stands. */
function driveAlong(
  { drive, moves }: Extract<MakingStep, { readonly kind: 'drive' }>,
  rateHz: number,
): DriveAt | null {
  if (!moves) return null;
  const { curve, tempo, laterFrames } = moves;
  return (frame) =>
    clampParameter(
      ampParameters.driveDb,
      drive.driveDb + curveAt(curve, max(0, frame + laterFrames) / rateHz, tempo, 'driveDb'),
    );
}

/** What works through a source in order, and can go on from where it was. */
interface Run {
  /** In place. */
  process(samples: Float64Array): void;
  state: readonly number[];
}

function runOf(step: RunningStep, rateHz: number): Run {
  switch (step.kind) {
    case 'preparation':
      return new PreparationRun(step.preparation, rateHz);
    case 'body':
      return new BodyRun(step.body, rateHz, step.ratio);
    case 'tone':
      return new Cascade(toneSections(step.tone, rateHz, step.ratio));
    case 'opening':
      return new OpeningRun(step.opening, rateHz);
  }
}

type RunningStep = Extract<
  MakingStep,
  { readonly kind: 'preparation' | 'body' | 'tone' | 'opening' }
>;
type RunningSource = MadeSource & { readonly step: RunningStep };
type BodyStep = Extract<MakingStep, { readonly kind: 'body' }>;

/** A body begins anew so often: what it hears before that is made twice. */
const bodySegmentFrames = 2 * blockFrames;
/** So many blocks of the usual length at most are heard again before a body's segment; what remembers longer runs on like all others. */
const mostHeardAgain = 8;

function isShortBody(source: RunningSource): source is RunningSource & { readonly step: BodyStep } {
  const { step, rateHz } = source;
  return step.kind === 'body' && stepMemory(step, rateHz) <= mostHeardAgain * blockFrames;
}

/** Whether a step remembers so long that it runs on from block to block. */
function runs(source: MadeSource): source is RunningSource {
  return stepMemory(source.step, source.rateHz) > shortMemory(source.rateHz);
}

/** So many states are kept: one is some twenty numbers. */
const mostStates = 2000;

/**
 * Sources whose steps remember long: a release of seconds, a narrow bell far down. Their blocks come in segments, at least as
 * long as the memory. Each segment begins so far before itself that nothing of what lay further back is left (−120 dB), and
 * goes on from block to block, so a block is the same whichever was asked for first. The state at the beginning of each
 * block is kept: the next one goes on from there.
 */
class RunningSources {
  readonly #load: BlockLoader;
  readonly #states = new Map<string, readonly number[]>();
  /** What a source is being made for now: blocks of one source are made one after the other. */
  readonly #queues = new Map<string, Promise<unknown>>();

  constructor(load: BlockLoader) {
    this.#load = load;
  }

  make(source: RunningSource, index: number): Promise<Float32Array> {
    const before = this.#queues.get(source.key) ?? Promise.resolve();
    const block = before.then(() => this.#run(source, index));
    const queued = block
      .catch(() => {})
      .then(() => {
        if (this.#queues.get(source.key) === queued) this.#queues.delete(source.key);
      });
    this.#queues.set(source.key, queued);
    return block;
  }

  /**
   * A body forgets all that was before a peak which is higher than what is left of those: it begins as far before a segment as its sound asks
   * for, so that one that is turned is heard soon. Mostly the first try is far enough; where it is not, something soft is played, and for long.
   */
  async #settled(
    { step, rateHz }: RunningSource & { readonly step: BodyStep },
    start: number,
    read: ReadFrames,
    length: number,
  ): Promise<BodyRun> {
    const most = stepMemory(step, rateHz);
    let back = usuallyForgotten(step.body, rateHz, step.ratio);
    for (;;) {
      const run = new BodyRun(step.body, rateHz, step.ratio);
      for (let at = max(0, start - back); at < start; at += length)
        run.process(new Float64Array(await read(at, min(length, start - at))));
      // From the beginning on nothing was before.
      if (start <= back || back >= most || run.settled) return run;
      back = min(most, 4 * back);
    }
  }

  async #run(source: RunningSource, index: number): Promise<Float32Array> {
    const { step, rateHz, from, frames } = source;
    const length = blockLength(source);
    const read = framesReader(from, this.#load);
    const heard = async (at: number) =>
      new Float64Array(await read(at * length, min(length, frames - at * length)));
    const memory = ceil(stepMemory(step, rateHz) / length);
    const blocks = isShortBody(source) ? bodySegmentFrames / length : 2 ** ceil(log2(memory));
    const segment = floor(index / blocks) * blocks;
    let run = runOf(step, rateHz);
    let at = index;
    for (; at > segment; at--) {
      const state = this.#states.get(`${source.key}/${at}`);
      if (!state) continue;
      run.state = state;
      break;
    }
    // At its beginning a segment knows nothing: what came before tells it.
    if (at === segment) {
      if (isShortBody(source)) run = await this.#settled(source, segment * length, read, length);
      else at = max(0, segment - memory);
    }
    for (;;) {
      const samples = await heard(at);
      run.process(samples);
      if (at === index) {
        if (index + 1 < segment + blocks) this.#keep(`${source.key}/${index + 1}`, run.state);
        return new Float32Array(samples);
      }
      at++;
      if (at > segment) this.#keep(`${source.key}/${at}`, run.state);
    }
  }

  #keep(name: string, state: readonly number[]): void {
    this.#states.delete(name);
    this.#states.set(name, state);
    if (this.#states.size <= mostStates) return;
    for (const oldest of this.#states.keys()) if (this.#states.delete(oldest)) break;
  }
}

/** What a filter's tail falls to lies far under any last bit: nothing, before its numbers become slow ones. */
const nothing = 1e-20;

function hushed(block: Float32Array): Float32Array {
  for (let n = 0; n < block.length; n++)
    if (block[n] < nothing && block[n] > -nothing) block[n] = 0;
  return block;
}

/** So many values of made blocks are kept: a block is asked for again by the next one's context. */
const mostKept = 96 * blockFrames;

/**
 * A loader that makes what has to be made, out of what `load` brings.
 * @param rest between two pieces of what takes long
 */
export function makingLoader(load: BlockLoader, rest?: Rest): BlockLoader {
  const kept = new Map<
    string,
    { readonly block: Promise<Float32Array>; readonly frames: number }
  >();
  let keptFrames = 0;
  const drop = (name: string) => {
    keptFrames -= kept.get(name)?.frames ?? 0;
    kept.delete(name);
  };
  const loadAny: BlockLoader = (source, index) => {
    if (!isMade(source)) return load(source, index);
    const name = `${source.key}/${index}`;
    let known = kept.get(name);
    if (known) {
      kept.delete(name);
    } else {
      known = { block: make(source, index), frames: blockLength(source) };
      keptFrames += known.frames;
      known.block.catch(() => drop(name));
    }
    kept.set(name, known);
    for (const oldest of kept.keys()) {
      if (keptFrames <= mostKept) break;
      drop(oldest);
    }
    return known.block;
  };
  const running = new RunningSources(loadAny);
  const vocoded = new VocodedSources(loadAny, rest);
  const make = async (source: MadeSource, index: number): Promise<Float32Array> => {
    if (isArranged(source)) return arrange(source, index);
    if (isVocoded(source)) return hushed(await vocoded.make(source, index));
    if (runs(source)) return hushed(await running.make(source, index));
    return makeInContext(source as MadeSource & { readonly step: BlockStep }, index);
  };
  const arrange = async ({ from, frames, step }: ArrangedSource, index: number) => {
    const start = index * blockFrames;
    const block = new Float64Array(min(blockFrames, frames - start));
    const { pieces, inverted } = step.arrangement;
    const read = framesReader(from, loadAny);
    // All that is wanted is asked for together.
    const inputs = await Promise.all(
      pieces.flatMap((piece, n) => {
        const first = max(start, piece.at);
        const last = min(start + block.length, piece.at + piece.count);
        if (first >= last) return [];
        const begin = piece.from + first - piece.at;
        return [read(begin, last - first).then((input) => ({ n, begin, input }))];
      }),
    );
    for (const { n, begin, input } of inputs)
      addPiece(block, start, pieces[n], n > 0 ? pieces[n - 1] : undefined, input, begin);
    return Float32Array.from(block, inverted ? (value) => -value : undefined);
  };
  const makeInContext = async (
    source: MadeSource & { readonly step: BlockStep },
    index: number,
  ): Promise<Float32Array> => {
    const context = contextOf(source.step, source.rateHz);
    const length = blockLength(source);
    const start = index * length;
    const count = min(length, source.frames - start);
    const from = start - context.behind;
    const read = framesReader(source.from, loadAny);
    const input = await read(from, context.behind + count + context.ahead);
    return hushed(await makeBlock(source, input, context, start, count, loadAny));
  };
  return loadAny;
}
