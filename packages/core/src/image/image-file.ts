import { failure, success, type Outcome } from '../outcome.ts';
import { defaults, describe, type ParameterTable } from '../parameters/parameter.ts';
import {
  bandParameters,
  colourParameters,
  compressorParameters,
  driftParameters,
  lowMonoParameters,
  openingParameters,
  preparationParameters,
  stageParameters,
  toneParameters,
  tunerParameters,
  voiceParameters,
} from '../parameters/tables.ts';
import { bandKinds, type EqualiserBand } from '../takes/equaliser.ts';
import {
  checkPreparation,
  isNeutralPreparation,
  neutralPreparation,
  type Preparation,
} from '../takes/preparation.ts';
import { panLaws, type PanLaw } from '../voices/pan-law.ts';
import { newVoice, tunerKinds, type Delay, type Placement, type Voice } from '../voices/voice.ts';
import { checkImage, mostVoices, type Image } from './image.ts';
import { lowMonoKinds, type Stage } from './stage.ts';

/** An image as it is written down beside a session; see docs/image-file.md. */
export const imageFileFormat = 'pannet-image';
export const imageFileVersion = 1;

export interface ImageFile {
  /** Of a recipe that was kept; null where the file has none. */
  readonly name: string | null;
  readonly panLaw: PanLaw;
  readonly preparation: Preparation;
  readonly image: Image;
}

export function writeImageFile(file: ImageFile): object {
  const { name, panLaw, preparation, image } = file;
  return {
    format: imageFileFormat,
    formatVersion: imageFileVersion,
    ...(name === null ? {} : { name }),
    panLaw,
    ...(isNeutralPreparation(preparation) ? {} : { preparation }),
    voices: image.voices.map(({ id: _, ...voice }) => voice),
    stage: image.stage,
  };
}

/**
 * Reads an image file that was already parsed from JSON. What is left out takes its table's default.
 * @param rateHz the take's rate, on which the range of delays in samples depends
 * @param takes how many takes the voices may name
 */
export function readImageFile(json: unknown, rateHz: number, takes: number): Outcome<ImageFile> {
  try {
    const file = new Reader(json, '');
    const format = file.required('format');
    if (format !== imageFileFormat)
      throw refusal(
        'not-an-image-file',
        `This is not an image file: “format” must be “${imageFileFormat}”; it was ${describe(format)}.`,
        'format',
      );
    const version = file.required('formatVersion');
    if (typeof version !== 'number' || version !== imageFileVersion)
      throw refusal(
        typeof version === 'number' && version > imageFileVersion
          ? 'newer-format'
          : 'bad-format-version',
        `“formatVersion” must be ${imageFileVersion}, the one that this Pannet reads; it was ${describe(version)}.`,
        'formatVersion',
      );
    const name = file.optional('name', null) as string | null;
    if (name !== null && (typeof name !== 'string' || name.length < 1 || name.length > 80))
      throw refusal('bad-name', `“name” has 1 to 80 characters; it was ${describe(name)}.`, 'name');
    const panLaw = file.choice('panLaw', panLaws, '-3');
    const preparation = readPreparation(file.object('preparation'));
    const rows = file.required('voices');
    if (!Array.isArray(rows)) throw refusal('bad-voices', '“voices” must be a list.', 'voices');
    if (rows.length > mostVoices)
      throw refusal(
        'too-many-voices',
        `An image has at most ${mostVoices} voices; it had ${rows.length}.`,
        'voices',
      );
    const voices = rows.map((row, n) => readVoice(row, n));
    const stage = readStage(file.object('stage'));
    file.end();
    const image = { voices, stage };
    for (const checked of [
      checkPreparation(preparation, 'preparation'),
      checkImage(image, rateHz, takes, ''),
    ])
      if (!checked.ok) {
        const { code, sentence, place } = checked.error;
        return failure(code, sentence, place?.replace(/^\./, ''));
      }
    return success({ name, panLaw, preparation, image });
  } catch (error) {
    if (error instanceof Refusal) return failure(error.code, error.message, error.place);
    throw error;
  }
}

/** The values of a group; what is left out is at its default. They are checked as a whole later. */
function readGroup<Group>(row: Reader | undefined, table: ParameterTable): Group {
  const fallback = defaults<Record<string, number | null>>(table);
  const values = Object.keys(table).map((key) => [
    key,
    row ? row.given(key, fallback[key]) : fallback[key],
  ]);
  return Object.fromEntries(values) as Group;
}

function readVoice(json: unknown, index: number): Voice {
  const row = new Reader(json, `voices[${index}]`);
  const tuner = row.object('tuner');
  const drift = row.object('drift');
  const colour = row.object('colour');
  const tone = row.object('tone');
  const bell = tone?.object('bell');
  const fallback = newVoice(`v${index + 1}`, `voice ${index + 1}`);
  const voice: Voice = {
    id: fallback.id,
    name: row.optional('name', fallback.name) as string,
    take: row.optional('take', 1) as number,
    placement: readPlacement(row.object('placement')),
    levelDb: row.optional('levelDb', voiceParameters.levelDb.default) as number,
    delay: readDelay(row.object('delay')),
    tuner: {
      kind: tuner?.choice('kind', tunerKinds, 'single') ?? 'single',
      ...readGroup<Omit<Voice['tuner'], 'kind'>>(tuner, tunerParameters),
    },
    drift: readGroup(drift, driftParameters),
    colour: readGroup(colour, colourParameters),
    polarity: row.choice('polarity', ['normal', 'inverted'] as const, 'normal'),
    tone: {
      ...readGroup<Omit<Voice['tone'], 'bell'>>(tone, toneParameters),
      bell: readGroup(bell, bandParameters),
    },
    muted: row.optional('muted', false) as boolean,
  };
  for (const reader of [tuner, drift, colour, bell, tone, row]) reader?.end();
  return voice;
}

function readPlacement(row: Reader | undefined): Placement {
  const { panPercent, degrees } = voiceParameters;
  if (!row) return { kind: 'pan', panPercent: panPercent.default };
  const kind = row.choice('kind', ['pan', 'mirror', 'spread'] as const, 'pan');
  const value = (key: string, fallback: number) => row.optional(key, fallback) as number;
  const placement: Placement =
    kind === 'pan'
      ? { kind, panPercent: value('panPercent', panPercent.default) }
      : kind === 'spread'
        ? { kind, degrees: value('degrees', degrees.default) }
        : { kind };
  row.end();
  return placement;
}

function readDelay(row: Reader | undefined): Delay {
  if (!row) return { value: voiceParameters.delayMs.default, unit: 'ms' };
  const delay: Delay = {
    value: row.optional('value', voiceParameters.delayMs.default) as number,
    unit: row.choice('unit', ['ms', 'samples'] as const, 'ms'),
  };
  row.end();
  return delay;
}

function readPreparation(row: Reader | undefined): Preparation {
  if (!row) return neutralPreparation;
  const own = readGroup<Pick<Preparation, 'lowCutHz'>>(row, preparationParameters);
  const bands = row.list('bands')?.map((band, n): EqualiserBand => {
    const fallback = neutralPreparation.bands[n] ?? neutralPreparation.bands[1];
    const read: EqualiserBand = {
      kind: band.choice('kind', bandKinds, fallback.kind),
      hz: band.optional('hz', fallback.hz) as number,
      db: band.optional('db', fallback.db) as number,
      q: band.optional('q', fallback.q) as number,
    };
    band.end();
    return read;
  });
  const compressor = row.object('compressor');
  const preparation: Preparation = {
    ...own,
    bands: bands ?? neutralPreparation.bands,
    compressor: readGroup(compressor, compressorParameters),
  };
  compressor?.end();
  row.end();
  return preparation;
}

function readStage(row: Reader | undefined): Stage {
  const lowMono = row?.object('lowMono');
  const opening = row?.object('opening');
  const stage: Stage = {
    ...readGroup<Omit<Stage, 'lowMono' | 'opening'>>(row, stageParameters),
    lowMono: {
      ...readGroup<Pick<Stage['lowMono'], 'hz'>>(lowMono, lowMonoParameters),
      kind: lowMono?.choice('kind', lowMonoKinds, 'anchor') ?? 'anchor',
    },
    opening: readGroup(opening, openingParameters),
  };
  for (const reader of [lowMono, opening, row]) reader?.end();
  return stage;
}

/** Carries a refusal out of the depths of a file; never leaves this module. */
class Refusal extends Error {
  readonly code: string;
  readonly place: string;
  constructor(code: string, sentence: string, place: string) {
    super(sentence);
    this.code = code;
    this.place = place;
  }
}

function refusal(code: string, sentence: string, place: string): Refusal {
  return new Refusal(code, sentence, place);
}

/** One object of the file; remembers which keys were asked for, so that the others can be refused. */
class Reader {
  readonly path: string;
  readonly #values: Record<string, unknown>;
  readonly #known = new Set<string>();

  constructor(json: unknown, path: string) {
    if (typeof json !== 'object' || json === null || Array.isArray(json))
      throw refusal(
        'not-an-object',
        `${path ? `“${path}”` : 'An image file'} must be an object; it was ${describe(json)}.`,
        path,
      );
    this.path = path;
    this.#values = json as Record<string, unknown>;
  }

  #at(key: string): string {
    return this.path ? `${this.path}.${key}` : key;
  }

  #take(key: string): unknown {
    this.#known.add(key);
    return Object.hasOwn(this.#values, key) ? this.#values[key] : undefined;
  }

  required(key: string): unknown {
    const value = this.#take(key);
    if (value === undefined)
      throw refusal('missing-key', `“${this.#at(key)}” is missing.`, this.#at(key));
    return value;
  }

  optional(key: string, fallback: unknown): unknown {
    return this.#take(key) ?? fallback;
  }

  /** The value of a key, where `null` is a value too. */
  given(key: string, fallback: unknown): unknown {
    const value = this.#take(key);
    return value === undefined ? fallback : value;
  }

  list(key: string): Reader[] | undefined {
    const value = this.#take(key);
    if (value === undefined) return undefined;
    if (!Array.isArray(value))
      throw refusal(
        'not-a-list',
        `“${this.#at(key)}” must be a list; it was ${describe(value)}.`,
        this.#at(key),
      );
    return value.map((item, n) => new Reader(item, `${this.#at(key)}[${n}]`));
  }

  choice<Choice extends string>(key: string, choices: readonly Choice[], fallback: Choice): Choice {
    const value = this.#take(key) ?? fallback;
    if (!choices.includes(value as Choice)) {
      const list = choices.map((choice) => `“${choice}”`).join(', ');
      throw refusal(
        'unknown-choice',
        `“${this.#at(key)}” must be one of ${list}; it was ${describe(value)}.`,
        this.#at(key),
      );
    }
    return value as Choice;
  }

  object(key: string): Reader | undefined {
    const value = this.#take(key);
    return value === undefined ? undefined : new Reader(value, this.#at(key));
  }

  end(): void {
    const unknown = Object.keys(this.#values).find((key) => !this.#known.has(key));
    if (unknown === undefined) return;
    const known = [...this.#known].map((key) => `“${key}”`).join(', ');
    throw refusal(
      'unknown-key',
      `“${this.#at(unknown)}” is not known here; known are ${known}.`,
      this.#at(unknown),
    );
  }
}
