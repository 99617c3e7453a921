import { ampGain } from '../amps/amp.ts';
import { madeSource } from '../derived/made-source.ts';
import type { SpliceLibrary } from '../derived/splice-library.ts';
import { takeSource } from '../derived/take-source.ts';
import { isAnchor, type Image } from '../image/image.ts';
import type { Stage } from '../image/stage.ts';
import { db, dbToGain } from '../quantities/units.ts';
import {
  partsInOrder,
  rateOf,
  recordingOf,
  songFrames,
  type Part,
  type Song,
} from '../song/song.ts';
import type { ResponseLibrary } from '../rooms/response.ts';
import { channelSource, type PcmSource } from '../sources/blocks.ts';
import { isNeutralPreparation, type Preparation } from '../takes/preparation.ts';
import { centreGain, type PanLaw } from '../voices/pan-law.ts';
import type { SplicePlan } from '../voices/splices.ts';
import {
  along,
  movesById,
  movingVoices,
  roomsAlong,
  standing,
  type MovingVoices,
} from './compile-along.ts';
import { planOf } from './song-nodes.ts';
import {
  type PartPlan,
  type PlainPlan,
  type RenderPlan,
  type StageGains,
  type StagePlan,
} from './plan.ts';
import { sameValue } from './value.ts';
import type { Move } from '../song/along.ts';
import type { Voice } from '../voices/voice.ts';
import {
  behindSharedDrive,
  compileStrands,
  voiceSource,
  type Ground,
  type ReadyTake,
} from './strands.ts';

/**
 * From document to plan. A tuned voice whose splices are not there yet goes on with those that `previous` gave it, or
 * is silent until they come.
 */
export function compile(
  song: Song,
  splices: SpliceLibrary,
  previous: RenderPlan | null = null,
  responses: ResponseLibrary = new Map(),
): RenderPlan {
  const rateHz = rateOf(song);
  const moves = movesById(song);
  const parts = partsInOrder(song).map((part) => {
    const before = previous?.parts.find((plan) => plan.id === part.id) ?? null;
    return compilePart(song, part, rateHz, splices, before, moves.get(part.id) ?? []);
  });
  return planOf(
    parts,
    rateHz,
    songFrames(song),
    along(song, rateHz, moves, roomsAlong(song, responses, previous)),
    previous,
  );
}

/** What the plan of a part was made of: it is the same one while that is. */
interface Compiled {
  readonly recordings: Song['recordings'];
  readonly panLaw: Song['panLaw'];
  readonly rateHz: number;
  /** The splices that were looked for, and what was there. */
  readonly splices: readonly (readonly [string, SplicePlan | undefined])[];
  readonly moving: MovingVoices;
  readonly plan: PartPlan;
}

/** By the part as the document has it: a drag in one part makes no other anew. */
const compiled = new WeakMap<Part, Compiled>();

function compilePart(
  song: Song,
  part: Part,
  rateHz: number,
  splices: SpliceLibrary,
  previous: PartPlan | null,
  moves: readonly Move[],
): PartPlan {
  const moving = movingVoices(song, part, rateHz, moves);
  const known = compiled.get(part);
  if (
    known?.recordings === song.recordings &&
    known.panLaw === song.panLaw &&
    known.rateHz === rateHz &&
    sameIds(known.moving.placesMove, moving.placesMove) &&
    sameIds(known.moving.cutsMove, moving.cutsMove) &&
    sameValues(known.moving.delaysMove, moving.delaysMove) &&
    sameValues(known.moving.drivesMove, moving.drivesMove) &&
    known.splices.every(([key, plan]) => splices.get(key) === plan)
  )
    return known.plan;
  const takes = part.takes.map((take): PlannedTake => ({
    source: takeSource(song, take),
    peak: recordingOf(song, take).facts?.peak ?? 1,
    preparation: take.preparation,
    level: dbToGain(db(take.levelDb)),
  }));
  const { image, preparation, plainVoice } = part;
  const level = dbToGain(db(part.levelDb));
  const impulses = (hash: string) => {
    if (!Object.hasOwn(song.recordings, hash)) return undefined;
    return channelSource(song.recordings[hash], 0);
  };
  const made = { image, preparation, panLaw: song.panLaw, level, plainVoice, impulses, moving };
  const looked = new Map<string, SplicePlan | undefined>();
  const library = {
    get: (key: string) => {
      looked.set(key, splices.get(key));
      return looked.get(key);
    },
  };
  const plan = {
    ...planImage(part.id, made, rateHz, takes, library, previous),
    muted: part.muted,
  };
  // What waits goes on as it was before, which is not in the document.
  if (plan.strands.every(({ awaits, tuning }) => awaits === null || tuning !== null))
    compiled.set(part, {
      recordings: song.recordings,
      panLaw: song.panLaw,
      rateHz,
      splices: [...looked],
      moving,
      plan,
    });
  return plan;
}

function sameValues(a: MovingVoices['delaysMove'], b: MovingVoices['delaysMove']): boolean {
  return (
    a.size === b.size &&
    [...a].every(([id, value]) => {
      const other = b.get(id);
      return other !== undefined && sameValue(value, other);
    })
  );
}

function sameIds(a: ReadonlySet<string>, b: ReadonlySet<string>): boolean {
  return a.size === b.size && [...a].every((id) => b.has(id));
}

/** An image and all that belongs to it outside a song. */
export interface PlannedImage {
  readonly image: Image;
  readonly preparation: Preparation;
  readonly panLaw: PanLaw;
  /** Linear, what comes after the stage. */
  readonly level: number;
  /** Id of the voice that plain is; the first take where it is left out or there is none of that id. */
  readonly plainVoice?: string | null;
  /** Recorded impulse responses by the names that the image calls them; one that is not there is as no cabinet. */
  readonly impulses?: Ground['impulses'];
  /** What moves of its voices along the song; nothing where it is left out. */
  readonly moving?: MovingVoices;
}

const noImpulses: Ground['impulses'] = () => undefined;

export interface PlannedTake {
  readonly source: PcmSource;
  /** The highest sample, linear. */
  readonly peak: number;
  /** Its own; that of the image where it is left out or null. */
  readonly preparation?: Preparation | null;
  /** Linear; 1 where it is left out. */
  readonly level?: number;
}

/** The plan of one image over the given takes. */
export function planImage(
  id: string,
  made: PlannedImage,
  rateHz: number,
  takes: readonly PlannedTake[],
  splices: SpliceLibrary,
  previous: PartPlan | null = null,
): PartPlan {
  const { image, preparation, panLaw, level, plainVoice } = made;
  const { impulses = noImpulses, moving = standing } = made;
  const ground = { rateHz, impulses, ...moving };
  const ready = takes.map((take) => readyTake(take, preparation, image.drive, rateHz));
  return {
    id,
    frames: Math.max(...takes.map(({ source }) => source.frames)),
    strands: compileStrands(image, panLaw, ground, ready, splices, previous),
    stage: stagePlan(image.stage, level, ready[0].prepared, rateHz),
    flanks: {
      voiceIds: image.voices.filter((voice) => !isAnchor(voice)).map((voice) => voice.id),
      trim: dbToGain(db(image.stage.trimDb)),
    },
    plain: plainPlan(
      ready,
      image.voices.find(({ id }) => id === plainVoice),
      ground,
      panLaw,
      level,
    ),
    muted: false,
  };
}

function readyTake(
  { source: raw, peak, preparation: own, level = 1 }: PlannedTake,
  ofAll: Preparation,
  drive: Image['drive'],
  rateHz: number,
): ReadyTake {
  const preparation = own ?? ofAll;
  const prepared = isNeutralPreparation(preparation)
    ? raw
    : madeSource(raw, { kind: 'preparation', preparation }, rateHz);
  return { raw, prepared: behindSharedDrive(prepared, drive, rateHz), peak, level };
}

/** @param level linear, what comes after the stage */
function stagePlan(stage: Stage, level: number, take: PcmSource, rateHz: number): StagePlan {
  const trim = dbToGain(db(stage.trimDb)) * level;
  // Of a balance only the far side falls.
  const sides = {
    left: trim * Math.min(1, 1 - stage.balancePercent / 100),
    right: trim * Math.min(1, 1 + stage.balancePercent / 100),
  };
  const open = stageGains(stage.widthPercent, sides);
  const { opening } = stage;
  if (opening.thresholdDb === null) return { open, closed: open, opening: null, sides };
  return {
    open,
    closed: stageGains(100, sides),
    opening: madeSource(take, { kind: 'opening', opening }, rateHz),
    sides,
  };
}

/** Width (M stays, S × width), and what each side gets after it, as one matrix. */
function stageGains(widthPercent: number, { left, right }: StagePlan['sides']): StageGains {
  const width = widthPercent / 100;
  const near = (1 + width) / 2;
  const far = (1 - width) / 2;
  return { ll: near * left, lr: far * left, rl: far * right, rr: near * right };
}

/** The first take in the middle, or a voice: its take with its timbre, colour and tone, in time and in tune. */
function plainPlan(
  takes: readonly ReadyTake[],
  voice: Voice | undefined,
  ground: Ground,
  panLaw: PanLaw,
  level: number,
): PlainPlan {
  const gain = centreGain(panLaw);
  const take = takes[voice ? voice.take - 1 : 0];
  return {
    strand: {
      id: 'plain',
      voiceId: 'plain',
      source: voice
        ? voiceSource(voice, take, ground, voice.tuner.timbreSemitones, 1, {}, 0)
        : take.prepared,
      takeKey: take.raw.key,
      delayFrames: 0,
      tuning: null,
      awaits: null,
      drift: null,
      left: gain * take.level * ampGain(voice?.amp ?? null),
      right: gain * take.level * ampGain(voice?.amp ?? null),
      placed: null,
    },
    level,
  };
}
