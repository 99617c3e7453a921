import { madeSource, type DriveMoves } from '../derived/made-source.ts';
import { spliceKey, tuningRatio, type SpliceLibrary } from '../derived/splice-library.ts';
import { isAnchor, lowVoice, type Image } from '../image/image.ts';
import { db, dbToGain } from '../quantities/units.ts';
import type { PcmSource } from '../sources/blocks.ts';
import { driftPath } from '../voices/drift.ts';
import { centreGain, panGains, type PanLaw } from '../voices/pan-law.ts';
import type { Response } from '../voices/response.ts';
import { ampGain, isRecorded } from '../amps/amp.ts';
import { isNeutralBody } from '../amps/body.ts';
import { bends } from '../amps/drive.ts';
import { afterSharedDrive, type SharedDrive } from '../amps/shared-drive.ts';
import { isNeutralTone } from '../voices/tone.ts';
import { isWorn } from '../voices/worn.ts';
import {
  delayInFrames,
  isColoured,
  isTuned,
  splicedAs,
  vocodedAs,
  type Voice,
} from '../voices/voice.ts';
import { movingDelay } from './moving-delay.ts';
import { steppedReading, withoutSteps } from './stepped-reading.ts';
import type { MovingValue } from './value.ts';
import {
  lowFeed,
  tuningOf,
  type DriftPlan,
  type PartPlan,
  type StrandPlan,
  type TuningPlan,
} from './plan.ts';

/** Where an image stands: the rate, and the recorded impulse responses by the names that it calls them. */
export interface Ground {
  readonly rateHz: number;
  readonly impulses: (name: string) => PcmSource | undefined;
  /** The voices whose place, and those whose high cut, moves along the song. */
  readonly placesMove: ReadonlySet<string>;
  readonly cutsMove: ReadonlySet<string>;
  /** What delays move by, by the ids of their voices. */
  readonly delaysMove: ReadonlyMap<string, MovingValue>;
  /** The same of the drives of their chains. */
  readonly drivesMove: ReadonlyMap<string, MovingValue>;
}

/** A take as an image is made of it. */
export interface ReadyTake {
  /** Before its preparation. */
  readonly raw: PcmSource;
  /** After its preparation. */
  readonly prepared: PcmSource;
  /** Of the take as recorded, linear; colours are measured by it. */
  readonly peak: number;
  /** Linear: its level against the other takes. */
  readonly level: number;
}

/** A part of a voice that goes to both sides by its own response. */
interface Feed {
  readonly id: string;
  readonly response: Response;
  readonly left: number;
  readonly right: number;
  /** Where its voice has a place: its gain without that, and what of the voice it is. */
  readonly placed: StrandPlan['placed'];
}

/**
 * The strands of an image over the given takes. A tuned voice whose splices are not there yet goes on with those that
 * `previous` gave it, or is silent until they come.
 */
export function compileStrands(
  image: Image,
  panLaw: PanLaw,
  ground: Ground,
  takes: readonly ReadyTake[],
  splices: SpliceLibrary,
  previous: PartPlan | null = null,
): StrandPlan[] {
  const { rateHz } = ground;
  const { lowMono, tiltDb } = image.stage;
  const gains = new Map(image.voices.map((voice) => [voice.id, imageGains(image, voice, panLaw)]));
  const low = lowMono.hz !== null && lowMono.kind === 'anchor' ? lowVoice(image) : undefined;
  const strands: StrandPlan[] = [];
  for (const voice of image.voices) {
    const { left, right } = gains.get(voice.id) as Gains;
    const delayFrames = delayInFrames(voice.delay, rateHz);
    let feeds = placedFeeds(voice, left, right, imageLevel(image, voice));
    if (lowMono.hz !== null && low) {
      const { hz } = lowMono;
      const laterFrames = delayFrames - delayInFrames(low.delay, rateHz);
      feeds = feeds.map((feed) => ({
        ...feed,
        response: { ...feed.response, split: { hz, part: 'high', laterFrames } },
      }));
      if (voice === low) {
        const gain = lowGain([...gains.values()]);
        const response: Response = { split: { hz, part: 'low', laterFrames: 0 } };
        feeds.push({ id: lowFeed, response, left: gain, right: gain, placed: null });
      }
    }
    if (tiltDb !== 0 || (lowMono.hz !== null && lowMono.kind === 'difference'))
      feeds = feeds.flatMap((feed) => apart(feed, image, ground.placesMove.has(voice.id)));
    strands.push(...voiceStrands(voice, feeds, ground, takes, splices, previous));
  }
  return strands;
}

interface Gains {
  readonly left: number;
  readonly right: number;
}

/** Placement, level, polarity, mute and the flanks' fader as one signed gain a side. */
function imageGains(image: Image, voice: Voice, panLaw: PanLaw): Gains {
  const { left, right } = voiceGains(voice, panLaw);
  const flanks = flanksGain(image, voice);
  return { left: left * flanks, right: right * flanks };
}

/** All of that but the placement. */
function imageLevel(image: Image, voice: Voice): number {
  return voiceLevel(voice) * flanksGain(image, voice);
}

function flanksGain({ stage }: Image, voice: Voice): number {
  return isAnchor(voice) ? 1 : dbToGain(db(stage.flanksDb));
}

/** Level, polarity and mute of a voice as one signed gain. */
function voiceLevel(voice: Voice): number {
  if (voice.muted) return 0;
  return (
    dbToGain(db(voice.levelDb)) * ampGain(voice.amp) * (voice.polarity === 'inverted' ? -1 : 1)
  );
}

/** Placement, level, polarity and mute of a voice as one signed gain a side. */
export function voiceGains(voice: Voice, panLaw: PanLaw): Gains {
  const level = voiceLevel(voice);
  if (level === 0) return { left: 0, right: 0 };
  const { placement } = voice;
  switch (placement.kind) {
    case 'mirror': {
      const gain = centreGain(panLaw) * level;
      return { left: gain, right: -gain };
    }
    case 'spread': {
      const gain = centreGain(panLaw) * level;
      return { left: gain, right: gain };
    }
    case 'pan': {
      const { left, right } = panGains(placement.panPercent, panLaw);
      return { left: left * level, right: right * level };
    }
  }
}

/** What the low end gets on each side, so that nothing is lost against the voices that are cut. */
function lowGain(all: readonly Gains[]): number {
  return Math.sqrt(all.reduce((sum, { left, right }) => sum + left * left + right * right, 0) / 2);
}

/** @param level of the voice without its placement */
function placedFeeds({ placement }: Voice, left: number, right: number, level: number): Feed[] {
  const placed = placement.kind === 'pan' ? ({ gain: level, as: 'whole' } as const) : null;
  if (placement.kind !== 'spread') return [{ id: '', response: {}, left, right, placed }];
  const { degrees } = placement;
  return [
    { id: '~left', response: { spread: { degrees, side: 1 } }, left, right: 0, placed },
    { id: '~right', response: { spread: { degrees, side: -1 } }, left: 0, right, placed },
  ];
}

/** Takes the difference of a feed apart from its middle, to be tilted and cut alone. @param moves whether its place does */
function apart(feed: Feed, image: Image, moves: boolean): Feed[] {
  const { lowMono, tiltDb } = image.stage;
  const middle = (feed.left + feed.right) / 2;
  const side = (feed.left - feed.right) / 2;
  const cut: Response =
    lowMono.hz !== null && lowMono.kind === 'difference'
      ? { split: { hz: lowMono.hz, part: 'high', laterFrames: 0 } }
      : {};
  const response = { ...feed.response, ...cut, tiltDb };
  const as = (what: 'middle' | 'difference') => feed.placed && { ...feed.placed, as: what };
  const both: Feed[] = [
    { ...feed, left: middle, right: middle, placed: as('middle') },
    {
      id: `${feed.id}~difference`,
      response,
      left: side,
      right: -side,
      placed: as('difference'),
    },
  ];
  // What moves comes to either of them.
  return both.filter(({ left, right, placed }) => left !== 0 || right !== 0 || (moves && placed));
}

function voiceStrands(
  voice: Voice,
  feeds: readonly Feed[],
  ground: Ground,
  takes: readonly ReadyTake[],
  splices: SpliceLibrary,
  previous: PartPlan | null,
): StrandPlan[] {
  const { rateHz } = ground;
  const take = takes[voice.take - 1];
  const tuned = isTuned(voice);
  const { mixPercent, timbreSemitones } = voice.tuner;
  const changes = tuned || timbreSemitones !== 0;
  const wet = changes ? mixPercent / 100 : 1;
  const ratio = tuned ? tuningRatio(voice.tuner) : 1;
  const spliced = splicedAs(voice) !== null;
  const delay = ground.delaysMove.get(voice.id);
  const wanders = driftPlan(voice, rateHz, take.raw.frames);
  const { delayFrames, drift, steps } = delay
    ? movingDelay(delay, wanders, take.raw.frames)
    : { delayFrames: delayInFrames(voice.delay, rateHz), drift: wanders, steps: null };
  const strands: StrandPlan[] = [];
  const add = (wetPart: boolean, share: number, { tuning, awaits, silent }: Tuning) => {
    for (const feed of feeds) {
      const timbre = wetPart ? timbreSemitones : 0;
      const read = wetPart ? ratio : 1;
      const highestHz = read > 1.0001 * 2 ** (50 / 1200) ? rateHz / 2 / read : undefined;
      const response = highestHz === undefined ? feed.response : { ...feed.response, highestHz };
      strands.push({
        id: `${voice.id}${feed.id}${wetPart ? '' : '~dry'}`,
        voiceId: voice.id,
        source: voiceSource(voice, take, ground, timbre, read, response, delayFrames),
        takeKey: take.raw.key,
        delayFrames,
        tuning: steps ? steppedReading(steps, tuning, delayFrames) : tuning,
        awaits,
        drift,
        left: silent ? 0 : feed.left * share * take.level,
        right: silent ? 0 : feed.right * share * take.level,
        placed: feed.placed && {
          ...feed.placed,
          gain: silent ? 0 : feed.placed.gain * share * take.level,
        },
      });
    }
  };
  if (wet > 0) add(true, wet, spliced ? tuningPlan(voice, take.raw, splices, previous) : untuned);
  if (wet < 1) add(false, 1 - wet, untuned);
  return strands;
}

/** How a tuned voice reads its take now. */
interface Tuning {
  readonly tuning: TuningPlan | null;
  readonly awaits: string | null;
  /** Whether it is silent, since nothing of it was heard before. */
  readonly silent: boolean;
}

const untuned: Tuning = { tuning: null, awaits: null, silent: false };

function tuningPlan(
  voice: Voice,
  raw: PcmSource,
  splices: SpliceLibrary,
  previous: PartPlan | null,
): Tuning {
  const key = spliceKey(raw.key, voice.tuner);
  const ready = splices.get(key);
  if (ready) return { tuning: tuningOf(key, ready), awaits: null, silent: false };
  const before = previous?.strands.find(
    (strand) =>
      strand.voiceId === voice.id &&
      strand.takeKey === raw.key &&
      (strand.left !== 0 || strand.right !== 0),
  );
  return {
    tuning: withoutSteps(before?.tuning ?? null),
    awaits: before ? key : null,
    silent: !before,
  };
}

/**
 * The take as a voice reads it: timbre, colour and tone first, then what is done by frequency to its sides, and what goes through a vocoder tuned.
 * @param delayFrames by which it is heard late: what moves in it goes by the song
 */
export function voiceSource(
  voice: Voice,
  take: ReadyTake,
  ground: Ground,
  timbreSemitones: number,
  ratio: number,
  response: Response,
  delayFrames: number,
): PcmSource {
  const { rateHz } = ground;
  let source = take.prepared;
  if (timbreSemitones !== 0)
    source = madeSource(source, { kind: 'timbre', semitones: timbreSemitones }, rateHz);
  if (isColoured(voice))
    source = madeSource(source, { kind: 'colour', colour: voice.colour, peak: take.peak }, rateHz);
  source = throughAmp(source, voice, ground, delayFrames);
  if (isWorn(voice.worn))
    source = madeSource(source, { kind: 'worn', worn: voice.worn, seed: seedOf(voice) }, rateHz);
  const tone = ground.cutsMove.has(voice.id) ? { ...voice.tone, highCutHz: null } : voice.tone;
  if (!isNeutralTone(tone)) source = madeSource(source, { kind: 'tone', tone, ratio }, rateHz);
  if (Object.keys(response).length > 0)
    source = madeSource(source, { kind: 'response', response }, rateHz);
  const as = vocodedAs(voice);
  if (ratio !== 1 && as) source = madeSource(source, { kind: 'vocoded', as, ratio }, rateHz);
  return source;
}

/** The same chain behind the same take is one source, whoever plays it: tuning by cents leaves the cabinet where it is. */
function throughAmp(
  from: PcmSource,
  { id, amp, tuner }: Voice,
  { rateHz, impulses, drivesMove }: Ground,
  delayFrames: number,
): PcmSource {
  if (!amp) return from;
  const { driveDb, inputDb, shape, tone, squashPercent, recoveryMs, cabinet } = amp;
  const ratio = 2 ** (tuner.semitones / 12);
  let source = from;
  const moves = driveMoves(drivesMove.get(id), delayFrames);
  const driven = bends(amp) || moves !== undefined;
  if (driven) {
    const drive = { driveDb, inputDb, shape };
    source = madeSource(source, { kind: 'drive', drive, ...(moves && { moves }) }, rateHz);
  }
  const body = {
    tone,
    squashPercent,
    recoveryMs,
    inputDb: driven ? 0 : inputDb,
    still: driven && shape === 'uneven',
  };
  if (!isNeutralBody(body)) source = madeSource(source, { kind: 'body', body, ratio }, rateHz);
  if (!cabinet) return source;
  if (!isRecorded(cabinet)) return madeSource(source, { kind: 'cabinet', cabinet, ratio }, rateHz);
  const { impulse: name, ...settings } = cabinet;
  const impulse = impulses(name);
  if (!impulse) return source;
  return madeSource(source, { kind: 'cabinet', cabinet: { ...settings, impulse }, ratio }, rateHz);
}

function driveMoves(value: MovingValue | undefined, laterFrames: number): DriveMoves | undefined {
  if (!value) return undefined;
  const { curve, tempo } = value;
  const beaten = curve.kind === 'cycle' && curve.rate.unit === 'beats';
  return { curve, tempo: beaten ? tempo : null, laterFrames };
}

/** Grain is one voice's own: two voices that are worn alike do not rustle together. */
function seedOf({ id }: Voice): number {
  return [...id].reduce((sum, letter) => (31 * sum + letter.charCodeAt(0)) % 1_000_003, 7);
}

/** A take with what stands in front of all voices. */
export function behindSharedDrive(
  from: PcmSource,
  drive: SharedDrive | undefined,
  rateHz: number,
): PcmSource {
  if (!drive) return from;
  const { driveDb, shape } = drive;
  let source = from;
  const bent = bends(drive);
  if (bent)
    source = madeSource(source, { kind: 'drive', drive: { driveDb, shape, inputDb: 0 } }, rateHz);
  const body = afterSharedDrive(drive, bent);
  return isNeutralBody(body)
    ? source
    : madeSource(source, { kind: 'body', body, ratio: 1 }, rateHz);
}

/** Paths of the drifts used last: a drag asks for the same ones over and over. */
const drifts = new Map<string, DriftPlan>();
const mostDrifts = 200;

function driftPlan({ drift }: Voice, rateHz: number, frames: number): DriftPlan | null {
  if (drift.rangeMs === 0) return null;
  const key = [drift.rangeMs, drift.rateHz, drift.seed, rateHz, frames].join('/');
  const known = drifts.get(key);
  if (known) return known;
  if (drifts.size >= mostDrifts) drifts.clear();
  const plan = { key, path: driftPath(drift, rateHz, frames) };
  drifts.set(key, plan);
  return plan;
}
