import { spliceKey, takeSource, type SpliceLibrary } from '../derived/splice-library.ts';
import type { Image, Stage } from '../image/image.ts';
import { db, dbToGain } from '../quantities/units.ts';
import { partFrames, partsInOrder, songFrames, type Part, type Song } from '../song/song.ts';
import { centreGain, panGains, type PanLaw } from '../voices/pan-law.ts';
import { delayInFrames, type Voice } from '../voices/voice.ts';
import type { PcmSource } from '../sources/blocks.ts';
import type { BedPlan, PartPlan, PlainPlan, RenderPlan, StageGains, VoicePlan } from './plan.ts';

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
  const level = dbToGain(db(part.levelDb));
  const sources = part.takes.map((take) => takeSource(song, take));
  return {
    id: part.id,
    frames: partFrames(song, part),
    voices: compileVoices(part.image, song.panLaw, rateHz, sources, splices, previous),
    stage: stageGains(part.image.stage, level),
    plain: plainPlan(sources[0], song.panLaw, level),
    muted: part.muted,
  };
}

/** The voices of an image over the given takes. */
export function compileVoices(
  image: Image,
  panLaw: PanLaw,
  rateHz: number,
  sources: readonly PcmSource[],
  splices: SpliceLibrary,
  previous: PartPlan | null = null,
): VoicePlan[] {
  return image.voices.map((voice) => {
    const source = sources[voice.take - 1];
    const { left, right } = voiceGains(voice, panLaw);
    const key = spliceKey(source.key, voice.tuner.cents);
    const ready = splices.get(key);
    const before = previous?.voices.find((plan) => plan.id === voice.id);
    const kept = before?.source.key === source.key ? before.tuning : null;
    const tuning = voice.tuner.cents === 0 ? null : ready ? { key, splices: ready } : kept;
    const waiting = voice.tuner.cents !== 0 && tuning === null;
    return {
      id: voice.id,
      source,
      delayFrames: delayInFrames(voice.delay, rateHz),
      tuning,
      left: waiting ? 0 : left,
      right: waiting ? 0 : right,
    };
  });
}

/** Placement, level, polarity and mute of a voice as one signed gain a side. */
export function voiceGains(voice: Voice, panLaw: PanLaw): { left: number; right: number } {
  if (voice.muted) return { left: 0, right: 0 };
  const level = dbToGain(db(voice.levelDb)) * (voice.polarity === 'inverted' ? -1 : 1);
  if (voice.placement.kind === 'mirror') {
    const gain = centreGain(panLaw) * level;
    return { left: gain, right: -gain };
  }
  const { left, right } = panGains(voice.placement.panPercent, panLaw);
  return { left: left * level, right: right * level };
}

/**
 * Width (M stays, S × width), balance (only the far side falls), trim and level as one matrix.
 * @param level linear, what comes after the stage
 */
export function stageGains(stage: Stage, level: number): StageGains {
  const width = stage.widthPercent / 100;
  const near = (1 + width) / 2;
  const far = (1 - width) / 2;
  const trim = dbToGain(db(stage.trimDb)) * level;
  const left = trim * Math.min(1, 1 - stage.balancePercent / 100);
  const right = trim * Math.min(1, 1 + stage.balancePercent / 100);
  return { ll: near * left, lr: far * left, rl: far * right, rr: near * right };
}

/** The first take in the middle. */
export function plainPlan(source: PcmSource, panLaw: PanLaw, level: number): PlainPlan {
  const gain = centreGain(panLaw);
  return { source, left: gain, right: gain, level };
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
