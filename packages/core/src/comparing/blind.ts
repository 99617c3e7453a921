import { plural } from '../quantities/wording.ts';
import { seededRandom } from '../signal/random.ts';

const { exp, log, max, min, round } = Math;

/** Two states of a part under hidden names; which of them is A changes from round to round. */
export interface BlindRound {
  readonly a: string;
  readonly b: string;
}

/** A comparison of two states without their names. Each round shuffles them anew, from the seed. */
export class BlindComparison {
  readonly first: string;
  readonly second: string;
  readonly #random: () => number;
  #round: BlindRound;
  #rounds = 0;
  #firstChosen = 0;

  constructor(first: string, second: string, seed: number) {
    this.first = first;
    this.second = second;
    this.#random = seededRandom(seed);
    this.#round = this.#shuffled();
  }

  #shuffled(): BlindRound {
    const { first, second } = this;
    return this.#random() < 0.5 ? { a: first, b: second } : { a: second, b: first };
  }

  get round(): BlindRound {
    return this.#round;
  }

  get rounds(): number {
    return this.#rounds;
  }

  get firstChosen(): number {
    return this.#firstChosen;
  }

  /** Takes down which one was preferred, and shuffles again. */
  choose(name: 'a' | 'b'): void {
    this.#rounds++;
    if (this.#round[name] === this.first) this.#firstChosen++;
    this.#round = this.#shuffled();
  }
}

/** n over k, as a logarithm. */
function logChoose(n: number, k: number): number {
  let sum = 0;
  for (let i = 1; i <= k; i++) sum += log((n - k + i) / i);
  return sum;
}

/**
 * How often chance alone, tossing a coin each round, comes out as lopsided as this or more: two-sided binomial with p = ½,
 * 0 to 1. Source: the sign test (Arbuthnot 1710; any handbook of statistics).
 * @param rounds from 0; without any it is 1
 */
export function chanceOf(rounds: number, chosen: number): number {
  const least = max(chosen, rounds - chosen);
  let sum = 0;
  for (let k = least; k <= rounds; k++) sum += exp(logChoose(rounds, k) - rounds * log(2));
  return min(1, 2 * sum);
}

/** Under this a difference is taken as shown: common practice. */
export const shownUnder = 0.05;
/** With fewer rounds even all alike say nothing: 2·½⁵ is 6 in 100. */
export const fewestRounds = 6;

/** What a comparison says, and what it does not. */
export function blindSentence(
  first: string,
  second: string,
  rounds: number,
  firstChosen: number,
): string {
  if (rounds === 0) return 'Nothing was chosen yet.';
  const secondChosen = rounds - firstChosen;
  const [more, times] = firstChosen >= secondChosen ? [first, firstChosen] : [second, secondChosen];
  const chance = chanceOf(rounds, firstChosen);
  const percent = chance < 0.01 ? 'fewer than 1' : String(round(100 * chance));
  const outcome =
    firstChosen === secondChosen
      ? `Both were chosen ${plural(firstChosen, 'time')} in ${rounds} rounds.`
      : `${more} was chosen in ${times} of ${plural(rounds, 'round')}.`;
  const chances = `Tossing a coin comes out as lopsided in ${percent} of 100 such comparisons`;
  if (chance < shownUnder)
    return `${outcome} ${chances}: you hear a difference, and prefer ${more}.`;
  if (rounds < fewestRounds)
    return `${outcome} ${chances}: with fewer than ${fewestRounds} rounds nothing can be shown.`;
  return `${outcome} ${chances}: no preference is shown.`;
}
