/**
 * What an operation that can fail hands back: its value, or a failure as data.
 *
 * A failure always carries a sentence for the engineer (what was wrong, where, what is allowed);
 * exceptions are kept for broken invariants.
 */
export interface Failure {
  /** Stable, kebab-case; what programs look at. */
  readonly code: string;
  /** What people read. One or two sentences, ending in a full stop. */
  readonly sentence: string;
  /** Path of the offending place (`voices[0].delay`), where there is one. */
  readonly place?: string;
}

export type Outcome<Value> =
  { readonly ok: true; readonly value: Value } | { readonly ok: false; readonly error: Failure };

export function success<Value>(value: Value): Outcome<Value> {
  return { ok: true, value };
}

export function failure(code: string, sentence: string, place?: string): Outcome<never> {
  return {
    ok: false,
    error: place === undefined ? { code, sentence } : { code, sentence, place },
  };
}

/** Takes the value out where a failure would be a broken invariant of ours, not of the input. */
export function expectSuccess<Value>(outcome: Outcome<Value>): Value {
  if (!outcome.ok) throw new Error(`${outcome.error.code}: ${outcome.error.sentence}`);
  return outcome.value;
}

/** Carries a failure as an exception across code that cannot return one (streams, workers). */
export class FailureError extends Error {
  readonly failure: Failure;
  constructor(failure: Failure) {
    super(failure.sentence);
    this.failure = failure;
  }
}
