import { anewFor, vocodedKeys, withVocodedAnew } from '@pannet/core/rendering/vocoded-anew';
import type { PlanGraph } from '@pannet/core/rendering/plan';

/** What is exported takes the place of what was heard first when a tuning has stood for so long. */
const standsMs = 250;

/**
 * What a vocoder tunes takes some time before it can be heard as it is exported. While it plays, what has a new tuning begins anew where it plays, so that
 * it is heard at once; a moment later the plan is told as it is.
 */
export class VocodedFirst {
  readonly #stood: () => void;
  /** In the plan before. */
  #known: ReadonlySet<string> = new Set();
  /** Where those begin that are not to be heard as they are yet. */
  readonly #anew = new Map<string, number>();
  #timer: ReturnType<typeof setTimeout> | undefined;
  #began = false;

  /** @param stood is called when the plan is wanted as it is */
  constructor(stood: () => void) {
    this.#stood = stood;
  }

  /**
   * The plan that is to be heard first.
   * @param frame where it plays; null while it does not
   */
  of(plan: PlanGraph, frame: number | null): PlanGraph {
    const known = this.#known;
    this.#known = vocodedKeys(plan);
    for (const key of this.#anew.keys()) if (!this.#known.has(key)) this.#anew.delete(key);
    const fresh = frame === null ? [] : [...this.#known].filter((key) => !known.has(key));
    this.#began = fresh.length > 0;
    if (frame !== null && this.#began) {
      const place = anewFor(plan, frame);
      for (const key of fresh) this.#anew.set(key, place);
      clearTimeout(this.#timer);
      this.#timer = setTimeout(() => {
        this.#anew.clear();
        this.#stood();
      }, standsMs);
    }
    return withVocodedAnew(plan, this.#anew);
  }

  /** Whether something begins anew. */
  get begins(): boolean {
    return this.#anew.size > 0;
  }

  /** Whether something does since the plan that was asked for last: that one waits for it wherever it plays. */
  get began(): boolean {
    return this.#began;
  }

  close(): void {
    clearTimeout(this.#timer);
  }
}
