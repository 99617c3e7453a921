import { findingsOf } from '@pannet/core/findings/findings';
import type { FindingCode } from '@pannet/core/findings/finding';
import { neutralImage, type Image } from '@pannet/core/image/image';
import { recipes } from '@pannet/core/image/recipes';
import { measureStereo } from '@pannet/core/measurement/report';
import { renderStretch } from '@pannet/core/rendering/offline';
import { seededRandom } from '@pannet/core/signal/random';
import { guessFamily } from '@pannet/core/song/family-guess';
import { tunedFor } from '@pannet/core/song/fitting-recipes';
import { newVoice, type TunerKind } from '@pannet/core/voices/voice';
import { planOf, rateHz } from './material.ts';
import {
  fetchRecordings,
  labelledRecordings,
  samplesPackage,
  type Recorded,
} from './recordings.ts';
import { row } from './timing.ts';

const { abs, floor, PI, round, sign, sin } = Math;

type Sides = readonly [left: Float32Array, right: Float32Array];

/** What is planted is known: the figures and the findings are held to it, on real recordings. */
export async function judgeFigures(folder: string): Promise<void> {
  const recorded = await fetchRecordings(folder);
  if (recorded === null) {
    row('figures on recordings', `skipped: Debian's ${samplesPackage} could not be fetched`);
    return;
  }
  await guesses(folder);
  await leads(recorded);
  await planted(recorded);
  doubles(recorded);
  await promises(recorded);
}

/** What a source is taken for, by its name and its sound. */
async function guesses(folder: string): Promise<void> {
  const labelled = await labelledRecordings(folder);
  const wrong = labelled.filter(({ file, family, facts }) => guessFamily(file, facts) !== family);
  row(
    'what a source is, guessed by name and sound',
    `right for ${labelled.length - wrong.length} of ${labelled.length} recordings (mark 90 %); not for ${wrong.map(({ file }) => file).join(', ')}`,
  );
}

/** What recipes say of themselves, each on every recording: either what holds for takes that fill the band, or for few tones. */
async function promises(recorded: readonly Recorded[]): Promise<void> {
  const outside: string[] = [];
  for (const { id, promise } of recipes)
    for (const one of recorded) {
      const [left, right] = await ofRecipe(stretch(one, 6), id, one);
      const { fold, sideToMidDb, leadMs } = measureStereo(left, right, rateHz).report;
      const within = (value: number | null, [from, to]: readonly [number, number]) =>
        value !== null && value >= from - 0.05 && value <= to + 0.05;
      const kept = [promise, promise.onFewTones ?? promise].some(
        ({ foldDb, widthDb }) => within(fold.lossDb, foldDb) && within(sideToMidDb, widthDb),
      );
      if (!kept) outside.push(`${id} on ${one.what}: fold or width`);
      // A comb may well find nothing to cut; where none is promised there is none.
      if (promise.combed === false && fold.sureDipDb > 6) outside.push(`${id} on ${one.what}: dip`);
      if (promise.leads?.startsWith('L') ? (leadMs ?? 1) < 0 : abs(leadMs ?? 0) > 2.5)
        outside.push(`${id} on ${one.what}: lead`);
    }
  row(
    `recipes: ${recipes.length} on ${recorded.length} recordings`,
    `${outside.length} outside of what they say${outside.length > 0 ? `: ${outside.join('; ')}` : ''}`,
  );
}

/** Of a length, played again and again where it is shorter, its peak at 0.4. */
function stretch({ samples }: Recorded, seconds: number): Float32Array {
  const loop = Math.min(samples.length, 8 * rateHz);
  let peak = 0;
  for (let n = 0; n < loop; n++) peak = Math.max(peak, abs(samples[n]));
  return Float32Array.from(
    { length: seconds * rateHz },
    (_, n) => (samples[n % loop] * 0.4) / peak,
  );
}

const later = (samples: Float32Array, frames: number) =>
  samples.map((_, n) => samples[n - frames] ?? 0);

/** Tuned as an engineer who says what the source is has it. */
async function ofRecipe(take: Float32Array, id: string, { kind }: Recorded): Promise<Sides> {
  const recipe = recipes.find((one) => one.id === id);
  if (!recipe) throw new Error(`There is no recipe ${id}.`);
  return ofImage(take, tunedFor(recipe.image, kind));
}

async function ofImage(take: Float32Array, image: Image): Promise<Sides> {
  const { plan, load } = await planOf([take], () => image);
  const { left, right } = await renderStretch(plan, 'p0', load, 0, take.length);
  return [left, right];
}

/** A double on each side, tuned so far up and down, the right one so much later. */
function tunedDoubles(kind: TunerKind, cents: number, laterMs: number): Image {
  const double = (id: string, panPercent: number, tuned: number, delayMs: number) =>
    newVoice(id, id, {
      placement: { kind: 'pan', panPercent },
      delay: { value: delayMs, unit: 'ms' },
      tuner: { kind, cents: tuned },
    });
  const voices = [double('left', -100, cents, 16), double('right', 100, -cents, 16 + laterMs)];
  return { ...neutralImage(), voices };
}

async function leads(recorded: readonly Recorded[]): Promise<void> {
  let [right, nowhere, spread] = [0, 0, 0];
  for (const one of recorded) {
    const take = stretch(one, 8);
    const lead = ([l, r]: Sides) => measureStereo(l, r, rateHz).report.leadMs;
    const copy = lead([take, later(take, round(0.016 * rateHz))]);
    if (copy !== null && abs(copy - 16) < 0.1) right++;
    const late = later(take, round(0.014 * rateHz)).map((value) => value * 0.9);
    const mirrored = lead([
      take.map((value, n) => value + late[n]),
      take.map((value, n) => value - late[n]),
    ]);
    if (abs(mirrored ?? 0) < 0.5) nowhere++;
    if (abs(lead(await ofRecipe(take, 'phase-spread', one)) ?? 0) < 0.5) spread++;
  }
  const all = recorded.length;
  const told: number[] = [];
  for (const one of recorded)
    for (const cents of [4, 9, 20])
      for (const ms of [0, 3, 7, -7, 15]) {
        const sides = await ofImage(stretch(one, 6), tunedDoubles(one.kind, cents, ms));
        const { leadMs } = measureStereo(...sides, rateHz).report;
        if (leadMs !== null) told.push(abs(leadMs - ms));
      }
  const near = told.filter((off) => off <= 2.5).length;
  row(
    'lead: tuned doubles, 0 to 15 ms apart',
    `told of ${told.length} of ${15 * all}, ${near} within 2.5 ms`,
  );
  row('lead: left 16 ms early', `${right} of ${all} within 0.1 ms`);
  row('lead: middle and mirrored voice, 14 ms', `${nowhere} of ${all} lead nowhere`);
  row('lead: phase spreading', `${spread} of ${all} lead nowhere`);
}

async function planted(recorded: readonly Recorded[]): Promise<void> {
  const hum = (value: number, n: number) => {
    const turn = (2 * PI * 50 * n) / rateHz;
    return value + 0.004 * (sin(turn) + 0.7 * sin(2 * turn) + 0.5 * sin(3 * turn));
  };
  const between = (from: number, to: number, n: number) => n > from * rateHz && n < to * rateHz;
  const cases: readonly (readonly [
    code: FindingCode,
    what: string,
    plant: (take: Float32Array, pair: Sides) => Sides,
  ])[] = [
    ['one-sided', 'one side silent', (_, [l]) => [l, new Float32Array(l.length)]],
    [
      'drops-out',
      'a side gone for 0.6 s',
      (_, [l, r]) => [l, r.map((v, n) => (between(3, 3.6, n) ? 0 : v))],
    ],
    ['only-a-copy', 'a copy 16 ms late', (take) => [take, later(take, 768)]],
    ['only-a-copy', 'an inverted copy', (take) => [take, later(take, 40).map((v) => -v)]],
    ['only-a-copy', 'a copy 1 sample late', (take) => [take, later(take, 1)]],
    ['only-a-copy', 'a copy 2 samples early', (take) => [later(take, 2), take]],
    ['only-a-copy', 'a copy 300 ms late', (take) => [take, later(take, 14_400)]],
    ['dc', 'DC of −34 dBFS', (_, [l, r]) => [l.map((v) => v + 0.02), r]],
    ['hum', 'hum of −48 dBFS', (_, [l, r]) => [l.map(hum), r.map(hum)]],
    [
      'cancels-in-places',
      '3 of 8 s inverted',
      (take) => [take, take.map((v, n) => (between(3, 6, n) ? -v : v))],
    ],
  ];
  const found = cases.map(() => 0);
  const invented = cases.map(() => 0);
  for (const one of recorded) {
    const take = stretch(one, 8);
    const pair = await ofRecipe(take, 'doubles-alone', one);
    const clean = findingsOf(measureStereo(...pair, rateHz).report).map(({ code }) => code);
    for (const [n, [code, , plant]] of cases.entries()) {
      const codes = findingsOf(measureStereo(...plant(take, pair), rateHz).report);
      if (codes.some((finding) => finding.code === code)) found[n]++;
      if (clean.includes(code)) invented[n]++;
    }
  }
  for (const [n, [, what]] of cases.entries())
    row(
      `findings: ${what}`,
      `found in ${found[n]} of ${recorded.length}, in the clean doubles of ${invented[n]}`,
    );
}

/** Another performance of the same line: its own cents and vibrato, and moments that come some ms sooner or later. */
function again(take: Float32Array, cents: number, random: () => number): Float32Array {
  const out = new Float32Array(take.length);
  const ratio = 2 ** (cents / 1200);
  const vibrato = (2 * PI * (4.5 + 1.5 * random())) / rateHz;
  const depth = 0.0004 * (rateHz / (2 * PI * 5));
  let [walk, goal, base] = [0, 0, 0];
  for (let n = 0; n < out.length; n++) {
    if (n % round(0.3 * rateHz) === 0) goal = (2 * random() - 1) * 0.018 * rateHz;
    walk += (goal - walk) * 0.00012;
    base += ratio - 1;
    if (abs(base) > 0.02 * rateHz) base -= sign(base) * 0.02 * rateHz;
    const place = n + walk + base + depth * sin(vibrato * n);
    const whole = floor(place);
    const t = place - whole;
    const [a, b, c, d] = [-1, 0, 1, 2].map((k) => take[whole + k] ?? 0);
    // Catmull and Rom 1974: far under what is compared.
    out[n] = b + 0.5 * t * (c - a + t * (2 * a - 5 * b + 4 * c - d + t * (3 * (b - c) + d - a)));
  }
  return out;
}

function doubles(recorded: readonly Recorded[]): void {
  const random = seededRandom(12);
  for (const seconds of [4, 6, 9, 13, 60]) {
    const verdicts = { holds: 0, watch: 0, breaks: 0 };
    for (const one of recorded)
      for (const cents of [-9, 6]) {
        const take = stretch(one, seconds);
        const { verdict } = measureStereo(take, again(take, cents, random), rateHz).report.fold;
        if (verdict) verdicts[verdict]++;
      }
    row(
      `verdict: two performances of ${seconds} s`,
      `${verdicts.holds} hold, ${verdicts.watch} watch, ${verdicts.breaks} break`,
    );
  }
}
