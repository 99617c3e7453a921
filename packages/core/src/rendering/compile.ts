import { madeSource } from '../derived/made-source.ts';
import { takeSource, type SpliceLibrary } from '../derived/splice-library.ts';
import type { Image } from '../image/image.ts';
import type { Stage } from '../image/stage.ts';
import { db, dbToGain } from '../quantities/units.ts';
import { partsInOrder, recordingOf, songFrames, type Part, type Song } from '../song/song.ts';
import type { PcmSource } from '../sources/blocks.ts';
import { isNeutralPreparation, type Preparation } from '../takes/preparation.ts';
import { centreGain, type PanLaw } from '../voices/pan-law.ts';
import type { BedPlan, PartPlan, PlainPlan, RenderPlan, StageGains, StagePlan } from './plan.ts';
import type { Voice } from '../voices/voice.ts';
import { compileStrands, voiceSource, type ReadyTake } from './strands.ts';

/**
 * From document to plan. A tuned voice whose splices are not there yet goes on with those that `previous` gave it, or
 * is silent until they come.
 */
export function compile(
  song: Song,
  splices: SpliceLibrary,
  previous: RenderPlan | null = null,
): RenderPlan {
  const rateHz = song.rateHz ?? 48_000;
  return {
    rateHz,
    parts: partsInOrder(song).map((part) => {
      const before = previous?.parts.find((plan) => plan.id === part.id) ?? null;
      return compilePart(song, part, rateHz, splices, before);
    }),
    bed: compileBed(song),
    frames: songFrames(song),
  };
}

function compilePart(
  song: Song,
  part: Part,
  rateHz: number,
  splices: SpliceLibrary,
  previous: PartPlan | null,
): PartPlan {
  const takes = part.takes.map((take) => ({
    source: takeSource(song, take),
    peak: recordingOf(song, take).facts?.peak ?? 1,
  }));
  const { image, preparation, plainVoice } = part;
  const level = dbToGain(db(part.levelDb));
  const made = { image, preparation, panLaw: song.panLaw, level, plainVoice };
  return { ...planImage(part.id, made, rateHz, takes, splices, previous), muted: part.muted };
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
}

export interface PlannedTake {
  readonly source: PcmSource;
  /** The highest sample, linear. */
  readonly peak: number;
}

/** The plan of one image over the given takes. */
export function planImage(
  id: string,
  { image, preparation, panLaw, level, plainVoice }: PlannedImage,
  rateHz: number,
  takes: readonly PlannedTake[],
  splices: SpliceLibrary,
  previous: PartPlan | null = null,
): PartPlan {
  const ready = takes.map(({ source, peak }) => readyTake(source, preparation, rateHz, peak));
  return {
    id,
    frames: Math.max(...takes.map(({ source }) => source.frames)),
    strands: compileStrands(image, panLaw, rateHz, ready, splices, previous),
    stage: stagePlan(image.stage, level, ready[0].prepared, rateHz),
    plain: plainPlan(
      ready,
      image.voices.find(({ id }) => id === plainVoice),
      rateHz,
      panLaw,
      level,
    ),
    muted: false,
  };
}

function readyTake(
  raw: PcmSource,
  preparation: Preparation,
  rateHz: number,
  peak: number,
): ReadyTake {
  const prepared = isNeutralPreparation(preparation)
    ? raw
    : madeSource(raw, { kind: 'preparation', preparation }, rateHz);
  return { raw, prepared, peak };
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
  rateHz: number,
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
        ? voiceSource(voice, take, rateHz, voice.tuner.timbreSemitones, 1, {})
        : take.prepared,
      takeKey: take.raw.key,
      delayFrames: 0,
      tuning: null,
      awaits: null,
      drift: null,
      left: gain,
      right: gain,
    },
    level,
  };
}

function compileBed(song: Song): BedPlan | null {
  if (!song.bed) return null;
  const recording = song.recordings[song.bed.recording];
  const channel = (n: number) => takeSource(song, { recording: recording.hash, channel: n });
  return {
    left: channel(0),
    right: channel(recording.channels - 1),
    gain: dbToGain(db(song.bed.levelDb)),
  };
}
