import { ampParameters } from '../parameters/tables.ts';
import { clampParameter } from '../parameters/parameter.ts';
import { failure, success, type Outcome } from '../outcome.ts';
import { DynamicsMeter } from '../measurement/dynamics.ts';
import { integratedLoudness } from '../measurement/loudness.ts';
import { figure } from '../quantities/wording.ts';
import { renderRoot } from '../rendering/offline.ts';
import { isMade, type MadeSource } from '../derived/made-source.ts';
import { staysPut } from '../rendering/fold-paths.ts';
import {
  isLowStrand,
  roots,
  type PartPlan,
  type RenderPlan,
  type StrandPlan,
} from '../rendering/plan.ts';
import type { Image } from '../image/image.ts';
import type { Part, Song } from '../song/song.ts';
import type { BlockLoader } from '../sources/blocks.ts';
import { voiceParameters } from '../parameters/tables.ts';
import { delayInMs, type Voice } from '../voices/voice.ts';
import { chainOffset, type ChainOffset } from './chain-offset.ts';
import { chainPhase, type ChainPhase } from './chain-phase.ts';

const { abs, max, min, round } = Math;

/** How one voice sounds by itself, as it lies in the image. */
export interface ChainFigures {
  readonly lufs: number | null;
  /** What a squash takes: peak over RMS within 100 ms, the middle one of all that sound. */
  readonly crestDb: number | null;
  /** How far it falls from its loud tenth to its soft one. */
  readonly fallDb: number | null;
}

/** Two voices beside each other. */
export interface ChainsApart {
  readonly first: ChainFigures;
  readonly second: ChainFigures;
  /** null where one is silent. */
  readonly offset: ChainOffset | null;
  /** What of it is no delay, by frequency. */
  readonly phase: readonly ChainPhase[];
}

/** A plan of a state of the song, its splices planned. */
export type PlanFor = (song: Song) => Promise<RenderPlan>;

export interface ChainsToCompare {
  readonly song: Song;
  readonly partId: string;
  /** Ids of both voices. */
  readonly voices: readonly [string, string];
  readonly from: number;
  readonly to: number;
}

/** Steps that belong to a chain. */
const ofChains = new Set(['drive', 'body', 'cabinet']);

/**
 * The outermost voices of a part whose chains stand against each other: one at each side, of one take, in tune and in time, at least one of
 * them behind a chain; null where there are no such two.
 */
export function opposedChains(part: PartPlan): readonly [string, string] | null {
  const voices = new Map<string, { left: number; right: number; strand: StrandPlan }>();
  for (const strand of part.strands) {
    if (isLowStrand(strand)) continue;
    const sums = voices.get(strand.voiceId) ?? { left: 0, right: 0, strand };
    sums.left += strand.left ** 2;
    sums.right += strand.right ** 2;
    voices.set(strand.voiceId, sums);
  }
  const placed = [...voices]
    .filter(([, { left, right }]) => left + right > 0)
    .map(([id, { left, right, strand }]) => ({
      id,
      strand,
      place: (right - left) / (left + right),
    }))
    .sort((a, b) => a.place - b.place);
  const [first, last] = [placed.at(0), placed.at(-1)];
  if (!first || !last || first.place > -leastApart || last.place < leastApart) return null;
  const both = [first.strand, last.strand];
  if (both[0].takeKey !== both[1].takeKey || !both.every(staysPut)) return null;
  // What plain is behind, too, stands in front of all voices: it is no chain of theirs.
  const before = new Set(madeBy(part.plain.strand).map(({ key }) => key));
  const chained = both.some((strand) =>
    madeBy(strand).some(({ key, step }) => ofChains.has(step.kind) && !before.has(key)),
  );
  return chained ? [first.id, last.id] : null;
}

/** From −1 to 1: nearer to the middle than this a voice is of no side. */
const leastApart = 0.3;

function madeBy(strand: StrandPlan): MadeSource[] {
  const made: MadeSource[] = [];
  for (let source = strand.source; isMade(source); source = source.from) made.push(source);
  return made;
}

/** What a voice puts into the image, wherever it stands: its louder side. */
async function voiceAlone(
  plan: RenderPlan,
  { partId, from, to }: Omit<ChainsToCompare, 'song'>,
  voiceId: string,
  load: BlockLoader,
): Promise<Float32Array> {
  const sides = [new Float32Array(to - from), new Float32Array(to - from)];
  for await (const block of renderRoot(plan, roots.voice(partId, voiceId), load, from, to))
    for (const [n, side] of [block.left, block.right].entries())
      sides[n].set(side, block.frame - from);
  const [left, right] = sides.map((side) => side.reduce((sum, value) => sum + value * value, 0));
  return sides[right > left ? 1 : 0];
}

function figuresOf(samples: Float32Array, rateHz: number): ChainFigures {
  const lufs = integratedLoudness([samples], rateHz);
  const meter = new DynamicsMeter(rateHz);
  meter.process(samples);
  const dynamics = meter.dynamics();
  return {
    lufs: Number.isFinite(lufs) ? lufs : null,
    crestDb: dynamics?.briefCrestDb ?? null,
    fallDb: dynamics?.spreadDb ?? null,
  };
}

/** Renders two voices of a part and sets them beside each other. */
export async function compareChains(
  asked: ChainsToCompare,
  planFor: PlanFor,
  load: BlockLoader,
  tick: (share: number) => void = () => {},
): Promise<ChainsApart> {
  return chainsOfPlan(await planFor(asked.song), asked, load, tick);
}

/** The same of a plan that is there. */
export async function chainsOfPlan(
  plan: RenderPlan,
  asked: Omit<ChainsToCompare, 'song'>,
  load: BlockLoader,
  tick: (share: number) => void = () => {},
): Promise<ChainsApart> {
  const sounds: Float32Array[] = [];
  for (const voice of asked.voices) {
    sounds.push(await voiceAlone(plan, asked, voice, load));
    tick(0.4 * sounds.length);
  }
  const [first, second] = sounds.map((sound) => figuresOf(sound, plan.rateHz));
  const offset = chainOffset(sounds[0], sounds[1], plan.rateHz);
  return { first, second, offset, phase: chainPhase(sounds[0], sounds[1], plan.rateHz, offset) };
}

/** What is changed of one voice, by its id. */
export type VoiceChange = { readonly voiceId: string; readonly changes: Partial<Voice> };

/**
 * What brings both into time and to one polarity, so that their fold is loudest: the later one comes earlier, or, where it may not, the
 * other one later. Polarity is turned of the second.
 */
export function linedUpChains(
  first: Voice,
  second: Voice,
  { frames, polarity }: ChainOffset,
  rateHz: number,
): readonly VoiceChange[] {
  const ms = (frames * 1000) / rateHz;
  const { min: earliest, max: latest } = voiceParameters.delayMs;
  const [late, early] = ms > 0 ? [second, first] : [first, second];
  const by = abs(ms);
  const moved = (voice: Voice, more: number): VoiceChange => ({
    voiceId: voice.id,
    changes: {
      delay: { value: round(1e4 * (delayInMs(voice.delay, rateHz) + more)) / 1e4, unit: 'ms' },
    },
  });
  const sooner = delayInMs(late.delay, rateHz) - by;
  // No delay is below 0 that was not before, where the other one can wait.
  const shift =
    sooner >= min(0, delayInMs(late.delay, rateHz)) || delayInMs(early.delay, rateHz) + by > latest
      ? moved(late, max(-by, earliest - delayInMs(late.delay, rateHz)))
      : moved(early, by);
  const turned: VoiceChange[] =
    polarity === 'inverted'
      ? [
          {
            voiceId: second.id,
            changes: { polarity: second.polarity === 'normal' ? 'inverted' : 'normal' },
          },
        ]
      : [];
  const all = by < 1e-4 ? turned : [shift, ...turned];
  // One voice that is both moved and turned is changed once.
  const ids = [...new Set(all.map(({ voiceId }) => voiceId))];
  return ids.map((voiceId) => ({
    voiceId,
    changes: Object.assign(
      {},
      ...all.filter((one) => one.voiceId === voiceId).map(({ changes }) => changes),
    ),
  }));
}

/** An image with the changes of some of its voices. */
export function withChanges(image: Image, changes: readonly VoiceChange[]): Image {
  return {
    ...image,
    voices: image.voices.map((voice) => ({
      ...voice,
      ...changes.find(({ voiceId }) => voiceId === voice.id)?.changes,
    })),
  };
}

/** So near both have to come: 0.5 dB of crest and 0.1 LU of loudness. */
const crestAlike = 0.5;
const loudAlike = 0.1;
const mostTries = 10;

export interface EvenedChains {
  readonly changes: readonly VoiceChange[];
  readonly apart: ChainsApart;
  /** Why their squash is not alike, in a sentence; null where it is. */
  readonly short: string | null;
}

/**
 * Makes two chains alike in squash by their drives, and in loudness by their outputs: the one that is squashed less is driven more until
 * their crests agree, or, where its drive has no more to give or it has no chain, the other one less.
 */
export async function evenedChains(
  asked: ChainsToCompare,
  planFor: PlanFor,
  load: BlockLoader,
  tick: (share: number) => void = () => {},
): Promise<Outcome<EvenedChains>> {
  const { song, partId, voices } = asked;
  const part = song.parts[partId];
  const find = (id: string) => part.image.voices.find((voice) => voice.id === id);
  const [first, second] = voices.map(find);
  if (!first || !second) return failure('no-voice', 'Both voices have to be there.');
  if (!first.amp && !second.amp)
    return failure('no-chain', 'Neither voice has an amp chain whose drive could be changed.');
  const apart = await compareChains(asked, planFor, load, (share) => tick(0.1 * share));
  const crestOf = (one: ChainFigures) => one.crestDb ?? 0;
  if (apart.first.lufs === null || apart.second.lufs === null)
    return failure('silent', 'One of the two is silent here: there is nothing to make even.');
  const difference = crestOf(apart.first) - crestOf(apart.second);
  let driven: { readonly voice: Voice; readonly drive: number; readonly off: number } | null = null;
  if (abs(difference) > crestAlike) {
    const [less, more, goalOfLess, goalOfMore] =
      difference > 0
        ? [first, second, crestOf(apart.second), crestOf(apart.first)]
        : [second, first, crestOf(apart.first), crestOf(apart.second)];
    const sides = [
      less.amp && { voice: less, goal: goalOfLess },
      more.amp && { voice: more, goal: goalOfMore },
    ].filter((side) => side !== null);
    for (const [n, { voice, goal }] of sides.entries()) {
      const found = await driveFor(asked, voice, goal, planFor, load, (share) =>
        tick(0.1 + (0.8 * (n + share)) / sides.length),
      );
      if (!driven || found.off < driven.off) driven = { voice, ...found };
      if (found.off <= crestAlike) break;
    }
  }
  const changes = new Map<string, Voice['amp']>();
  if (driven?.voice.amp)
    changes.set(driven.voice.id, { ...driven.voice.amp, driveDb: driven.drive });
  const changed = withAmps(song, part, changes);
  const then = await compareChains({ ...asked, song: changed }, planFor, load);
  leveled(changes, [first, second], then);
  const last = await compareChains(
    { ...asked, song: withAmps(song, part, changes) },
    planFor,
    load,
  );
  tick(1);
  return success({
    changes: [...changes].map(([voiceId, amp]) => ({ voiceId, changes: { amp } })),
    apart: last,
    short: shortOf(last),
  });
}

/** The drive of a voice whose crest comes nearest to a goal: it falls as the drive rises, so halves are tried. */
async function driveFor(
  asked: ChainsToCompare,
  voice: Voice,
  goal: number,
  planFor: PlanFor,
  load: BlockLoader,
  tick: (share: number) => void,
): Promise<{ readonly drive: number; readonly off: number }> {
  const { amp } = voice;
  const part = asked.song.parts[asked.partId];
  let best = { drive: amp?.driveDb ?? 0, off: Infinity };
  if (!amp) return best;
  const tried = async (drive: number): Promise<number> => {
    const song = withAmps(asked.song, part, new Map([[voice.id, { ...amp, driveDb: drive }]]));
    const plan = await planFor(song);
    const crest =
      figuresOf(await voiceAlone(plan, asked, voice.id, load), plan.rateHz).crestDb ?? 0;
    if (abs(crest - goal) < best.off) best = { drive, off: abs(crest - goal) };
    return crest;
  };
  let [low, high] = [ampParameters.driveDb.min, ampParameters.driveDb.max];
  for (let n = 0; n < mostTries && best.off > crestAlike / 5; n++) {
    const drive = round(10 * ((low + high) / 2)) / 10;
    if ((await tried(drive)) > goal) low = drive;
    else high = drive;
    tick(n / mostTries);
  }
  return best;
}

/** Outputs of the chains that make both as loud; the second one's, or the first one's where that has no chain or no room. */
function leveled(
  changes: Map<string, Voice['amp']>,
  [first, second]: readonly Voice[],
  { first: one, second: other }: ChainsApart,
): void {
  let left = (one.lufs ?? 0) - (other.lufs ?? 0);
  for (const [voice, sign] of [
    [second, 1],
    [first, -1],
  ] as const) {
    const amp = changes.get(voice.id) ?? voice.amp;
    if (!amp || abs(left) < loudAlike / 4) continue;
    const levelDb = clampParameter(
      ampParameters.levelDb,
      round(100 * (amp.levelDb + sign * left)) / 100,
    );
    left -= sign * (levelDb - amp.levelDb);
    changes.set(voice.id, { ...amp, levelDb });
  }
}

function shortOf({ first, second }: ChainsApart): string | null {
  const crest = abs((first.crestDb ?? 0) - (second.crestDb ?? 0));
  const loud = abs((first.lufs ?? 0) - (second.lufs ?? 0));
  if (loud > loudAlike)
    return `They stay ${figure(loud, 1)} LU apart: the output of a chain goes to ${figure(ampParameters.levelDb.max, 0)} dB and no farther.`;
  if (crest > crestAlike)
    return `Their crests stay ${figure(crest, 1)} dB apart: no drive from ${figure(ampParameters.driveDb.min, 0)} to ${figure(ampParameters.driveDb.max, 0)} dB brings them nearer. Squash or another shape may.`;
  return null;
}

function withAmps(song: Song, part: Part, amps: ReadonlyMap<string, Voice['amp']>): Song {
  const voices = part.image.voices.map((voice) =>
    amps.has(voice.id) ? { ...voice, amp: amps.get(voice.id) ?? null } : voice,
  );
  const changed = { ...part, image: { ...part.image, voices } };
  return { ...song, parts: { ...song.parts, [part.id]: changed } };
}
