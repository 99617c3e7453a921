import { failure, success, type Outcome } from '../outcome.ts';
import { checkParameter, describe } from '../parameters/parameter.ts';
import { stageParameters, voiceParameters } from '../parameters/tables.ts';
import { figure } from '../quantities/wording.ts';
import { delayInMs, type Delay, type Placement, type Voice } from '../voices/voice.ts';

/** What is done to the stereo sum of the voices. */
export interface Stage {
  readonly widthPercent: number;
  readonly balancePercent: number;
  readonly trimDb: number;
}

/** The stereo picture of a part: its voices and its stage. */
export interface Image {
  readonly voices: readonly Voice[];
  readonly stage: Stage;
}

export const neutralStage: Stage = {
  widthPercent: stageParameters.widthPercent.default,
  balancePercent: stageParameters.balancePercent.default,
  trimDb: stageParameters.trimDb.default,
};

export const mostVoices = 16;

export function newVoice(id: string, name: string, changes: Partial<Voice> = {}): Voice {
  return {
    id,
    name,
    take: 1,
    placement: { kind: 'pan', panPercent: 0 },
    levelDb: 0,
    delay: { value: 0, unit: 'ms' },
    tuner: { kind: 'single', cents: 0 },
    polarity: 'normal',
    muted: false,
    ...changes,
  };
}

/** One voice in the middle: sounds as plain does, sample for sample. */
export function neutralImage(): Image {
  return { voices: [newVoice('v1', 'centre')], stage: neutralStage };
}

/** The first of `v1`, `v2` … that is free. */
export function freeVoiceId(voices: readonly Voice[]): string {
  let n = 1;
  while (voices.some((voice) => voice.id === `v${n}`)) n++;
  return `v${n}`;
}

export function isAnchor(voice: Voice): boolean {
  return voice.placement.kind === 'pan' && voice.placement.panPercent === 0;
}

/** The range in ms, whatever the unit; the sentence speaks in the unit that was typed. */
export function checkDelay(delay: Delay, rateHz: number, place: string): Outcome<Delay> {
  if (delay.unit !== 'ms' && delay.unit !== 'samples')
    return failure(
      'unknown-unit',
      `Delay must be in “ms” or “samples”; it was ${describe(delay.unit)}.`,
      `${place}.unit`,
    );
  if (typeof delay.value !== 'number' || delay.unit === 'ms' || !Number.isFinite(delay.value)) {
    const checked = checkParameter(voiceParameters.delayMs, delay.value, `${place}.value`);
    return checked.ok ? success(delay) : checked;
  }
  const { min, max } = voiceParameters.delayMs;
  const inMs = delayInMs(delay, rateHz);
  if (inMs >= min && inMs <= max) return success(delay);
  const limit = (edge: number) => figure((edge * rateHz) / 1000, 0);
  return failure(
    'out-of-range',
    `Delay must be between ${limit(min)} and ${limit(max)} samples (−50 and 150 ms); it was ${delay.value}.`,
    `${place}.value`,
  );
}

/** All that can be wrong with the values of an image; `takes` is how many takes there are to choose from. */
export function checkImage(
  image: Image,
  rateHz: number,
  takes: number,
  place = 'image',
): Outcome<Image> {
  if (image.voices.length > mostVoices)
    return failure(
      'too-many-voices',
      `An image has at most ${mostVoices} voices; it had ${image.voices.length}.`,
      `${place}.voices`,
    );
  const ids = new Set<string>();
  for (const [n, voice] of image.voices.entries()) {
    const at = `${place}.voices[${n}]`;
    if (ids.has(voice.id))
      return failure('same-id', `Two voices have the id “${voice.id}”.`, `${at}.id`);
    ids.add(voice.id);
    const checked = checkVoice(voice, rateHz, takes, at);
    if (!checked.ok) return checked;
  }
  const { widthPercent, balancePercent, trimDb } = stageParameters;
  const stage = `${place}.stage`;
  const checks = [
    checkParameter(widthPercent, image.stage.widthPercent, `${stage}.widthPercent`),
    checkParameter(balancePercent, image.stage.balancePercent, `${stage}.balancePercent`),
    checkParameter(trimDb, image.stage.trimDb, `${stage}.trimDb`),
  ];
  return checks.find((check) => !check.ok) ?? success(image);
}

export function checkVoice(
  voice: Voice,
  rateHz: number,
  takes: number,
  place: string,
): Outcome<Voice> {
  if (typeof voice.name !== 'string' || voice.name.length < 1 || voice.name.length > 60)
    return failure(
      'bad-name',
      `A voice's name has 1 to 60 characters; it was ${describe(voice.name)}.`,
      `${place}.name`,
    );
  if (!Number.isInteger(voice.take) || voice.take < 1 || voice.take > takes)
    return failure(
      'unknown-take',
      takes === 1
        ? `Take must be 1, since there is one take; it was ${describe(voice.take)}.`
        : `Take must be a whole number from 1 to ${takes}; it was ${describe(voice.take)}.`,
      `${place}.take`,
    );
  if (voice.polarity !== 'normal' && voice.polarity !== 'inverted')
    return failure(
      'bad-polarity',
      `Polarity must be “normal” or “inverted”; it was ${describe(voice.polarity)}.`,
      `${place}.polarity`,
    );
  if (typeof voice.muted !== 'boolean')
    return failure(
      'bad-muted',
      `Muted must be true or false; it was ${describe(voice.muted)}.`,
      `${place}.muted`,
    );
  const { levelDb, cents } = voiceParameters;
  const checks: Outcome<unknown>[] = [
    checkPlacement(voice.placement, `${place}.placement`),
    checkParameter(levelDb, voice.levelDb, `${place}.levelDb`),
    checkDelay(voice.delay, rateHz, `${place}.delay`),
    checkParameter(cents, voice.tuner.cents, `${place}.tuner.cents`),
  ];
  const wrong = checks.find((check) => !check.ok);
  return wrong && !wrong.ok ? wrong : success(voice);
}

function checkPlacement(placement: Placement, place: string): Outcome<unknown> {
  switch (placement.kind) {
    case 'mirror':
      return success(placement);
    case 'pan':
      return checkParameter(
        voiceParameters.panPercent,
        placement.panPercent,
        `${place}.panPercent`,
      );
    default:
      return failure(
        'unknown-placement',
        `Placement must be “pan” or “mirror”; it was ${describe((placement as { kind?: unknown }).kind)}.`,
        `${place}.kind`,
      );
  }
}
