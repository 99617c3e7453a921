import type { SplicePlan } from '../voices/splices.ts';
import type { TuningPlan } from './plan.ts';
import { wholeDelay } from './time-map.ts';

const { ceil, max } = Math;

/** From a frame of the song on a voice is read so much later than its path says, in frames; above 0 is later. */
export interface DelayStep {
  readonly frame: number;
  readonly later: number;
}

/** Steps of a delay, as they lie along the song; the first of them holds from its beginning. */
export interface DelaySteps {
  readonly key: string;
  readonly crossfadeFrames: number;
  readonly steps: readonly [DelayStep, ...DelayStep[]];
}

/** What is read straight, in time: a line that begins before all that is read. */
function straight(crossfadeFrames: number): SplicePlan {
  const before = Float64Array.of(-1e6);
  return {
    ratio: 1,
    crossfadeFrames,
    starts: before,
    positions: before,
    likeness: Float64Array.of(1),
    usualWander: 0,
  };
}

/** By the steps, and by the splices that they lie among: a drag asks for the same ones over and over. */
const made = new WeakMap<DelaySteps, Map<SplicePlan | null, TuningPlan>>();

/**
 * A reading that jumps where its delay does: each jump is a splice more, over which the old place fades into the new one, so that the pitch
 * stays. How alike both places are is asked of the sound. One that lies nearer to a splice of the tuner than a crossfade is done by that splice.
 * @param tuning of the voice, null where it has none
 * @param delayFrames by which the reading lies behind the song
 */
export function steppedReading(
  delay: DelaySteps,
  tuning: TuningPlan | null,
  delayFrames: number,
): TuningPlan {
  const plan = tuning?.splices ?? null;
  const known = made.get(delay)?.get(plan);
  if (known) return known;
  const splices = withSteps(
    plan ?? straight(delay.crossfadeFrames),
    delay.steps,
    wholeDelay(delayFrames),
  );
  const stepped = { key: `${tuning?.key ?? 'straight'}/${delay.key}`, splices };
  const all = made.get(delay) ?? new Map<SplicePlan | null, TuningPlan>();
  // Plans come and go while a tuning is turned: the newest will do.
  if (all.size >= mostMade) all.clear();
  made.set(delay, all.set(plan, stepped));
  under.set(stepped, tuning);
  return stepped;
}

const mostMade = 8;

/** What stepped readings were made of. */
const under = new WeakMap<TuningPlan, TuningPlan | null>();

/** How a voice is tuned that may be read in steps besides. */
export function withoutSteps(tuning: TuningPlan | null): TuningPlan | null {
  return tuning && under.has(tuning) ? (under.get(tuning) ?? null) : tuning;
}

function withSteps(
  plan: SplicePlan,
  [first, ...steps]: DelaySteps['steps'],
  wholeFrames: number,
): SplicePlan {
  const { ratio, crossfadeFrames: apart } = plan;
  const starts: number[] = [];
  const positions: number[] = [];
  const likeness: number[] = [];
  let later = first.later;
  let next = 0;
  const timeOf = ({ frame }: DelayStep) => frame - wholeFrames;
  /** Goes on by all steps before a time; @returns by how much the place jumps */
  const stepTo = (time: number) => {
    const before = later;
    for (; next < steps.length && timeOf(steps[next]) < time; next++) later = steps[next].later;
    return later - before;
  };
  const put = (start: number, position: number, alike: number, jump: number) => {
    starts.push(start);
    positions.push(position - later);
    likeness.push(jump === 0 ? alike : NaN);
  };
  for (let k = 0; k < plan.starts.length; k++) {
    const start = plan.starts[k];
    const end = plan.starts.at(k + 1) ?? Infinity;
    // What comes while this one fades in, comes with it.
    put(start, plan.positions[k], plan.likeness[k], stepTo(start + apart));
    for (;;) {
      const step = steps.at(next);
      if (!step) break;
      const time = max(timeOf(step), (starts.at(-1) as number) + apart);
      if (time > end - apart) break;
      const jump = stepTo(time + 1e-6);
      put(time, plan.positions[k] + ratio * (time - start), 1, jump);
    }
  }
  return {
    ...plan,
    starts: Float64Array.from(starts),
    positions: Float64Array.from(positions),
    likeness: Float64Array.from(likeness),
    asksAround: ceil(apart * ratio),
  };
}
