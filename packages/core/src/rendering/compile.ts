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
import { inTempo } from '../rooms/in-tempo.ts';
import { channelSource, type PcmSource } from '../sources/blocks.ts';
import { isNeutralPreparation, type Preparation } from '../takes/preparation.ts';
import { centreGain, type PanLaw } from '../voices/pan-law.ts';
import type { SplicePlan } from '../voices/splices.ts';
import { planOf, type Along } from './song-nodes.ts';
import {
  type BedPlan,
  type PartPlan,
  type PlainPlan,
  type RenderPlan,
  type StageGains,
  type StagePlan,
} from './plan.ts';
import type { Value } from './value.ts';
import { moveOf, type MoveTarget } from '../song/moves-of.ts';
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
): RenderPlan {
  const rateHz = rateOf(song);
  const parts = partsInOrder(song).map((part) => {
    const before = previous?.parts.find((plan) => plan.id === part.id) ?? null;
    return compilePart(song, part, rateHz, splices, before);
  });
  return planOf(parts, rateHz, songFrames(song), along(song, rateHz), previous);
}

function along(song: Song, rateHz: number): Along {
  const moved = (target: MoveTarget, base: number): Value => {
    const move = moveOf(song, target);
    return move ? { base, curve: move.curve, tempo: song.tempo, rateHz } : base;
  };
  return {
    bed: compileBed(song),
    groups: song.groups.map(({ id, partIds, levelDb, muted, preparation, stage }) => ({
      id,
      partIds,
      bus: { preparation, stage },
      gain: muted ? 0 : moved({ kind: 'group', id, parameter: 'levelDb' }, dbToGain(db(levelDb))),
    })),
    rooms: song.rooms.map((room) => inTempo(room, song.tempo)),
    partMoves: Object.fromEntries(
      song.moves.flatMap(({ target: { kind, id } }) =>
        kind === 'part'
          ? [
              [
                id,
                {
                  level: moved({ kind, id, parameter: 'levelDb' }, 1),
                  flanks: moved({ kind, id, parameter: 'flanksDb' }, 1),
                },
              ],
            ]
          : [],
      ),
    ),
  };
}

/** What the plan of a part was made of: it is the same one while that is. */
interface Compiled {
  readonly recordings: Song['recordings'];
  readonly panLaw: Song['panLaw'];
  readonly rateHz: number;
  /** The splices that were looked for, and what was there. */
  readonly splices: readonly (readonly [string, SplicePlan | undefined])[];
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
): PartPlan {
  const known = compiled.get(part);
  if (
    known?.recordings === song.recordings &&
    known.panLaw === song.panLaw &&
    known.rateHz === rateHz &&
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
  const made = { image, preparation, panLaw: song.panLaw, level, plainVoice, impulses };
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
      plan,
    });
  return plan;
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
  { image, preparation, panLaw, level, plainVoice, impulses = noImpulses }: PlannedImage,
  rateHz: number,
  takes: readonly PlannedTake[],
  splices: SpliceLibrary,
  previous: PartPlan | null = null,
): PartPlan {
  const ground = { rateHz, impulses };
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
  const open = stageGains(stage, level);
  const { opening } = stage;
  if (opening.thresholdDb === null) return { open, closed: open, opening: null };
  return {
    open,
    closed: stageGains({ ...stage, widthPercent: 100 }, level),
    opening: madeSource(take, { kind: 'opening', opening }, rateHz),
  };
}

/** Width (M stays, S × width), balance (only the far side falls), trim and level as one matrix. */
function stageGains(stage: Stage, level: number): StageGains {
  const width = stage.widthPercent / 100;
  const near = (1 + width) / 2;
  const far = (1 - width) / 2;
  const trim = dbToGain(db(stage.trimDb)) * level;
  const left = trim * Math.min(1, 1 - stage.balancePercent / 100);
  const right = trim * Math.min(1, 1 + stage.balancePercent / 100);
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
        ? voiceSource(voice, take, ground, voice.tuner.timbreSemitones, 1, {})
        : take.prepared,
      takeKey: take.raw.key,
      delayFrames: 0,
      tuning: null,
      awaits: null,
      drift: null,
      left: gain * take.level * ampGain(voice?.amp ?? null),
      right: gain * take.level * ampGain(voice?.amp ?? null),
    },
    level,
  };
}

function compileBed(song: Song): BedPlan | null {
  if (!song.bed) return null;
  const recording = song.recordings[song.bed.recording];
  const channel = (n: number) => channelSource(recording, n);
  return {
    left: channel(0),
    right: channel(recording.channels - 1),
    gain: dbToGain(db(song.bed.levelDb)),
  };
}
