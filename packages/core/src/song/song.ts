import { neutralImage, type Image } from '../image/image.ts';
import type { SourceFacts } from '../sources/facts.ts';
import { neutralPreparation, type Preparation } from '../takes/preparation.ts';
import type { PanLaw } from '../voices/pan-law.ts';

/** One audio file as imported, kept byte for byte under its content hash. */
export interface Recording {
  /** SHA-256 of the file, 64 hexadecimal digits. */
  readonly hash: string;
  readonly fileName: string;
  readonly encoding: 'pcm' | 'float';
  readonly bitsPerSample: 16 | 24 | 32 | 64;
  readonly channels: 1 | 2;
  readonly rateHz: number;
  readonly frames: number;
  readonly dataOffset: number;
  readonly bytesPerFrame: number;
  /** The file that it was converted from, kept as it came. */
  readonly original?: Original;
  /** What it is; known once it was looked at. */
  readonly facts?: SourceFacts;
}

/** A file of another format or rate than the song's. */
export interface Original {
  readonly hash: string;
  readonly fileName: string;
  readonly format: string;
  readonly rateHz: number;
}

/** One performance of a part: one channel of a recording. */
export interface Take {
  readonly recording: string;
  /** 0 or 1. */
  readonly channel: number;
}

export const families = ['voice', 'plucked', 'bowed', 'keys', 'low', 'struck', 'other'] as const;
export type Family = (typeof families)[number];

/** One instrument or singer of the song. */
export interface Part {
  readonly id: string;
  readonly name: string;
  readonly family: Family;
  readonly takes: readonly Take[];
  readonly levelDb: number;
  readonly muted: boolean;
  /** What is done to every take before it is spread. */
  readonly preparation: Preparation;
  readonly image: Image;
  /** Kept states of the image, under the number keys 1 to 9. */
  readonly drafts: Readonly<Record<string, Image>>;
  /** The draft that the image was last kept as or recalled from. */
  readonly draft: string | null;
  /** Id of the voice that plain is, put in the middle; null for the first take as it is. */
  readonly plainVoice: string | null;
  /** The letter that flips the part between plain and image; null for the one that its row gives it. */
  readonly toggleKey: string | null;
}

/** A part whose image is its take in the middle, as recorded. */
export function newPart(
  id: string,
  name: string,
  family: Family,
  takes: readonly Take[],
  changes: Partial<Part> = {},
): Part {
  return {
    id,
    name,
    family,
    takes,
    levelDb: 0,
    muted: false,
    preparation: neutralPreparation,
    image: neutralImage(),
    drafts: {},
    draft: null,
    plainVoice: null,
    toggleKey: null,
    ...changes,
  };
}

/** A rough mix of everything else: heard, never processed, never exported. */
export interface Bed {
  readonly recording: string;
  readonly levelDb: number;
}

/** The outcome of a blind comparison of two states of a part: “plain”, “image” or the number of a draft. */
export interface Comparison {
  readonly id: string;
  /** When it was ended, ISO 8601. */
  readonly at: string;
  readonly partId: string;
  readonly first: string;
  readonly second: string;
  readonly rounds: number;
  /** In how many of the rounds the first one was chosen. */
  readonly firstChosen: number;
}

export const mostComparisons = 200;

/** The immutable document. It changes only by commands. */
export interface Song {
  readonly formatVersion: 3;
  readonly id: string;
  readonly title: string;
  /** null until the first recording decides. */
  readonly rateHz: number | null;
  readonly panLaw: PanLaw;
  readonly recordings: Readonly<Record<string, Recording>>;
  readonly parts: Readonly<Record<string, Part>>;
  readonly partOrder: readonly string[];
  readonly bed: Bed | null;
  /** What was found by comparing blind, the newest last. */
  readonly comparisons: readonly Comparison[];
}

export const mostParts = 64;

export function emptySong(id: string, title: string): Song {
  return {
    formatVersion: 3,
    id,
    title,
    rateHz: null,
    panLaw: '-3',
    recordings: {},
    parts: {},
    partOrder: [],
    bed: null,
    comparisons: [],
  };
}

export function partsInOrder(song: Song): Part[] {
  return song.partOrder.map((id) => song.parts[id]);
}

export function recordingOf(song: Song, take: Take): Recording {
  return song.recordings[take.recording];
}

/** Length of the longest take, in frames: what an export of the part has. */
export function partFrames(song: Song, part: Part): number {
  return Math.max(...part.takes.map((take) => recordingOf(song, take).frames));
}

export function songFrames(song: Song): number {
  const lengths = partsInOrder(song).map((part) => partFrames(song, part));
  const bed = song.bed ? song.recordings[song.bed.recording].frames : 0;
  return Math.max(0, bed, ...lengths);
}
