import type { Opening } from '../image/stage.ts';
import { Cascade } from '../signal/cascade.ts';
import type { LongFir } from '../signal/long-fir.ts';
import { blockFrames, type BlockLoader, type PcmSource } from '../sources/blocks.ts';
import { PeakFollower } from '../takes/compressor.ts';
import { PreparationRun, type Preparation } from '../takes/preparation.ts';
import { ColourRun, type Colour } from '../voices/colour.ts';
import { responseFir, responseHalf, type Response } from '../voices/response.ts';
import { moveTimbre, timbreReach } from '../voices/timbre.ts';
import { toneSections, type Tone } from '../voices/tone.ts';

// Taken out of `Math` once: looked up in a loop it is slow where globals are guarded, as under the test runner.
const { min, max, ceil, floor } = Math;

/**
 * One thing that is done to a source ahead of playing. All that has memory (filters, compressors, envelopes) is done
 * here, block by block, so that what runs while it plays is a function of the absolute frame alone: a seek, a loop and the
 * export sound the same to the bit.
 */
export type MakingStep =
  | { readonly kind: 'preparation'; readonly preparation: Preparation }
  | { readonly kind: 'timbre'; readonly semitones: number }
  | { readonly kind: 'colour'; readonly colour: Colour; readonly peak: number }
  | { readonly kind: 'tone'; readonly tone: Tone; readonly ratio: number }
  | { readonly kind: 'response'; readonly response: Response }
  /** Not sound but a gain from 0 to 1: how far the width is open. */
  | { readonly kind: 'opening'; readonly opening: Opening };

/** A source that is made of another one. */
export interface MadeSource extends PcmSource {
  readonly from: PcmSource;
  readonly step: MakingStep;
  readonly rateHz: number;
}

/** Raised whenever the same step would give other values. */
const makingVersion = 4;

export function madeSource(from: PcmSource, step: MakingStep, rateHz: number): MadeSource {
  const { kind, ...settings } = step;
  return {
    key: `${from.key}>${kind}${makingVersion}${JSON.stringify(settings)}`,
    frames: from.frames,
    from,
    step,
    rateHz,
  };
}

export function isMade(source: PcmSource): source is MadeSource {
  return 'step' in source;
}

/** The recording's channel that a source is made of in the end. */
export function rawSource(source: PcmSource): PcmSource {
  return isMade(source) ? rawSource(source.from) : source;
}

/** Frames before and after a block that a step has to see. */
interface Context {
  readonly behind: number;
  readonly ahead: number;
}

/** A recursive filter has forgotten what lies further back: 20 Hz at a Q of 0.7 has fallen by 260 dB. */
const filterMemoryMs = 340;
/** A follower has forgotten all but e⁻¹⁰ of what lies further back than this many of its release times. */
const releaseTimes = 10;
const longestMemoryMs = 6000;

function followerMs(releaseMs: number): number {
  return min(longestMemoryMs, filterMemoryMs + releaseTimes * releaseMs);
}

function contextOf(step: MakingStep, rateHz: number): Context {
  // Whole strides of 64, so that what is worked out every few frames falls on the same ones in every block.
  const framesOf = (timeMs: number) => ceil((timeMs * rateHz) / 64_000) * 64;
  switch (step.kind) {
    case 'preparation': {
      const { thresholdDb, releaseMs } = step.preparation.compressor;
      const memory = thresholdDb === null ? filterMemoryMs : followerMs(releaseMs);
      return { behind: framesOf(memory), ahead: 0 };
    }
    case 'timbre':
      return { behind: timbreReach, ahead: timbreReach };
    case 'colour':
      return { behind: framesOf(filterMemoryMs), ahead: 256 };
    case 'tone':
      return { behind: framesOf(filterMemoryMs), ahead: 0 };
    case 'response':
      return { behind: responseHalf(rateHz), ahead: responseHalf(rateHz) };
    case 'opening':
      return { behind: framesOf(followerMs(step.opening.releaseMs)), ahead: 0 };
  }
}

/** Kernels of the responses used last: they are dear to make and used for every block. */
const firs = new Map<string, LongFir>();
const mostFirs = 64;

function firOf(response: Response, rateHz: number): LongFir {
  const key = JSON.stringify([response, rateHz]);
  let fir = firs.get(key);
  if (fir) firs.delete(key);
  else fir = responseFir(response, rateHz);
  firs.set(key, fir);
  if (firs.size > mostFirs) for (const oldest of firs.keys()) if (firs.delete(oldest)) break;
  return fir;
}

/**
 * Does a step for one block.
 * @param input the block with its context on both sides
 * @param start absolute frame of the block's first
 */
function makeBlock(
  { step, rateHz }: MadeSource,
  input: Float32Array,
  { behind }: Context,
  start: number,
  count: number,
): Float32Array {
  switch (step.kind) {
    case 'timbre':
      return moveTimbre(input, count, start, step.semitones, rateHz);
    case 'response':
      return firOf(step.response, rateHz).process(input, count);
    case 'preparation': {
      const samples = Float64Array.from(input);
      new PreparationRun(step.preparation, rateHz).process(samples);
      return Float32Array.from(samples.subarray(behind, behind + count));
    }
    case 'tone': {
      const samples = Float64Array.from(input);
      new Cascade(toneSections(step.tone, rateHz, step.ratio)).process(samples);
      return Float32Array.from(samples.subarray(behind, behind + count));
    }
    case 'colour': {
      const samples = Float64Array.from(input);
      new ColourRun(step.colour, step.peak, rateHz).process(samples);
      const from = behind + ColourRun.latencyFrames;
      return Float32Array.from(samples.subarray(from, from + count));
    }
    case 'opening':
      return openingOf(step.opening, input, behind, count, rateHz);
  }
}

/** What a filter's tail falls to lies far under any last bit: nothing, before its numbers become slow ones. */
const nothing = 1e-20;

function hushed(block: Float32Array): Float32Array {
  for (let n = 0; n < block.length; n++)
    if (block[n] < nothing && block[n] > -nothing) block[n] = 0;
  return block;
}

/** The width opens over so many dB round the threshold. */
const openingDb = 6;

function openingOf(
  opening: Opening,
  input: Float32Array,
  behind: number,
  count: number,
  rateHz: number,
): Float32Array {
  const follower = new PeakFollower(opening.attackMs, opening.releaseMs, rateHz);
  const threshold = 10 ** ((opening.thresholdDb ?? -200) / 20);
  const low = threshold * 10 ** (-openingDb / 40);
  const high = threshold * 10 ** (openingDb / 40);
  const gains = new Float32Array(count);
  for (let n = 0; n < behind + count; n++) {
    const level = follower.next(input[n]);
    if (n >= behind) gains[n - behind] = min(1, max(0, (level - low) / (high - low)));
  }
  return gains;
}

/** So many values of made blocks are kept: a block is asked for again by the next one's context. */
const mostKept = 96 * blockFrames;

/** A loader that makes what has to be made, out of what `load` brings. */
export function makingLoader(load: BlockLoader): BlockLoader {
  const kept = new Map<string, Promise<Float32Array>>();
  const loadAny: BlockLoader = (source, index) => {
    if (!isMade(source)) return load(source, index);
    const name = `${source.key}/${index}`;
    let block = kept.get(name);
    if (block) {
      kept.delete(name);
    } else {
      block = make(source, index);
      block.catch(() => kept.delete(name));
    }
    kept.set(name, block);
    if (kept.size * blockFrames > mostKept)
      for (const oldest of kept.keys()) if (kept.delete(oldest)) break;
    return block;
  };
  const make = async (source: MadeSource, index: number): Promise<Float32Array> => {
    const context = contextOf(source.step, source.rateHz);
    const start = index * blockFrames;
    const count = min(blockFrames, source.frames - start);
    const from = start - context.behind;
    const input = new Float32Array(context.behind + count + context.ahead);
    const last = ceil(source.from.frames / blockFrames) - 1;
    const firstIndex = max(0, floor(from / blockFrames));
    const lastIndex = min(last, floor((start + count + context.ahead - 1) / blockFrames));
    const blocks = await Promise.all(
      Array.from({ length: lastIndex - firstIndex + 1 }, (_, n) =>
        loadAny(source.from, firstIndex + n),
      ),
    );
    for (const [n, block] of blocks.entries()) {
      const at = (firstIndex + n) * blockFrames - from;
      const skip = max(0, -at);
      const room = input.length - max(0, at);
      if (skip < block.length && room > 0)
        input.set(block.subarray(skip, min(block.length, skip + room)), max(0, at));
    }
    return hushed(makeBlock(source, input, context, start, count));
  };
  return loadAny;
}
