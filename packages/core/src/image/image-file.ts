import { failure, success, type Outcome } from '../outcome.ts';
import { describe } from '../parameters/parameter.ts';
import { stageParameters, voiceParameters } from '../parameters/tables.ts';
import { panLaws, type PanLaw } from '../voices/pan-law.ts';
import type { Delay, Placement, Voice } from '../voices/voice.ts';
import { checkImage, mostVoices, newVoice, type Image, type Stage } from './image.ts';

/** An image as it is written down beside a session; see docs/image-file.md. */
export const imageFileFormat = 'pannet-image';
export const imageFileVersion = 1;

export interface ImageFile {
  readonly panLaw: PanLaw;
  readonly image: Image;
}

export function writeImageFile({ panLaw, image }: ImageFile): object {
  return {
    format: imageFileFormat,
    formatVersion: imageFileVersion,
    panLaw,
    voices: image.voices.map(
      ({ name, take, placement, levelDb, delay, tuner, polarity, muted }) => ({
        name,
        take,
        placement,
        levelDb,
        delay,
        tuner,
        polarity,
        muted,
      }),
    ),
    stage: image.stage,
  };
}

/**
 * Reads an image file that was already parsed from JSON. What is left out takes its table's default; what the format
 * knows but this version does not yet compute is taken at its neutral value and refused at any other.
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
    const panLaw = file.choice('panLaw', panLaws, '-3');
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
    const checked = checkImage({ voices, stage }, rateHz, takes, '');
    if (!checked.ok)
      return failure(
        checked.error.code,
        checked.error.sentence,
        checked.error.place?.replace(/^\./, ''),
      );
    return success({ panLaw, image: checked.value });
  } catch (error) {
    if (error instanceof Refusal) return failure(error.code, error.message, error.place);
    throw error;
  }
}

function readVoice(json: unknown, index: number): Voice {
  const row = new Reader(json, `voices[${index}]`);
  const fallback = newVoice(`v${index + 1}`, `voice ${index + 1}`);
  const voice: Voice = {
    id: fallback.id,
    name: row.optional('name', fallback.name) as string,
    take: row.optional('take', 1) as number,
    placement: readPlacement(row.object('placement')),
    levelDb: row.optional('levelDb', voiceParameters.levelDb.default) as number,
    delay: readDelay(row.object('delay')),
    tuner: readTuner(row.object('tuner')),
    polarity: row.choice('polarity', ['normal', 'inverted'] as const, 'normal'),
    muted: row.optional('muted', false) as boolean,
  };
  const drift = row.object('drift');
  drift?.onlyNeutral('rangeMs', 0, 'Drift');
  drift?.number('rateHz');
  drift?.number('seed');
  drift?.end();
  const tone = row.object('tone');
  tone?.onlyNeutral('lowCutHz', null, 'A low cut on a voice');
  tone?.onlyNeutral('highCutHz', null, 'A high cut on a voice');
  tone?.onlyNeutral('tiltDb', 0, 'Tilt on a voice');
  tone?.end();
  row.end();
  return voice;
}

function readPlacement(row: Reader | undefined): Placement {
  if (!row) return { kind: 'pan', panPercent: voiceParameters.panPercent.default };
  const kind = row.choice('kind', ['pan', 'mirror'] as const, 'pan');
  const placement: Placement =
    kind === 'mirror'
      ? { kind }
      : {
          kind,
          panPercent: row.optional('panPercent', voiceParameters.panPercent.default) as number,
        };
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

function readTuner(row: Reader | undefined): Voice['tuner'] {
  if (!row) return { kind: 'single', cents: voiceParameters.cents.default };
  const kind = row.choice('kind', ['single', 'chords', 'struck'] as const, 'single');
  if (kind !== 'single')
    throw refusal(
      'not-built-yet',
      `The tuner for “${kind}” is not built yet; “single” is.`,
      `${row.path}.kind`,
    );
  const cents = row.optional('cents', voiceParameters.cents.default) as number;
  row.onlyNeutral('mixPercent', 100, 'A tuned copy that is not wholly wet');
  row.onlyNeutral('semitones', 0, 'Tuning by semitones');
  row.onlyNeutral('timbreSemitones', 0, 'Moving the timbre');
  row.end();
  return { kind, cents };
}

function readStage(row: Reader | undefined): Stage {
  const read = (key: keyof Stage) =>
    (row?.optional(key, stageParameters[key].default) ?? stageParameters[key].default) as number;
  const stage = {
    widthPercent: read('widthPercent'),
    balancePercent: read('balancePercent'),
    trimDb: read('trimDb'),
  };
  const lowMono = row?.object('lowMono');
  lowMono?.onlyNeutral('hz', null, 'Low-end mono');
  lowMono?.choice('kind', ['anchor', 'difference'] as const, 'anchor');
  lowMono?.end();
  row?.onlyNeutral('tiltDb', 0, 'Tilt of the difference');
  row?.end();
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

  number(key: string): void {
    const value = this.#take(key);
    if (value !== undefined && (typeof value !== 'number' || !Number.isFinite(value)))
      throw refusal(
        'not-a-number',
        `“${this.#at(key)}” must be a number; it was ${describe(value)}.`,
        this.#at(key),
      );
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

  onlyNeutral(key: string, neutral: number | null, what: string): void {
    const value = this.#take(key);
    if (value === undefined || value === neutral) return;
    throw refusal(
      'not-built-yet',
      `${what} is not built yet: “${this.#at(key)}” must be ${neutral}; it was ${describe(value)}.`,
      this.#at(key),
    );
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
