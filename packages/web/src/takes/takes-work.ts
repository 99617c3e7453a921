import type { Edit } from '@pannet/core/song/edits/edit';
import type { Part, Take } from '@pannet/core/song/song';
import type { Comparison } from '@pannet/core/takes/line-up/line-up';
import type { Anchor } from '@pannet/core/takes/take';
import type { CutSettings } from '@pannet/core/takes/sounding';
import { createStore } from 'zustand/vanilla';
import { say } from '../controls/notices.ts';
import type { OpenSong } from '../session/open-song.ts';
import { ask, wasStopped } from '../workers/ask.ts';
import { takesQuestion, type TakeFigures, type WorkedTake } from './takes-question.ts';

export interface TakesState {
  readonly busy: { readonly what: string; readonly share: number } | null;
  /** By what they are of: see `figuresKey`. */
  readonly figures: Readonly<Record<string, TakeFigures>>;
  /** How a take lies against its reference as it was recorded, by `comparisonKey`. */
  readonly comparisons: Readonly<Record<string, Comparison>>;
  /** Takes whose measuring was stopped or failed: they are not measured again unasked. */
  readonly leftAlone: readonly Take[] | null;
}

/** Paths are long, and takes are asked for with every picture: each is told once. */
const texts = new WeakMap<Take, { readonly cut: string; readonly whole: string }>();

function told(take: Take): { readonly cut: string; readonly whole: string } {
  const known = texts.get(take);
  if (known) return known;
  const { recording, channel, clips, align } = take;
  const cut = JSON.stringify([recording, channel, clips]);
  const text = { cut, whole: `${cut}${JSON.stringify(align)}` };
  texts.set(take, text);
  return text;
}

/** What figures are of: a take as it lies, against its reference as that lies. */
export function figuresKey(take: Take, reference: Take): string {
  return `${told(take).whole} ${take.id === reference.id ? '' : told(reference).whole}`;
}

/** What a comparison is of: a take as it is cut, whatever was made of it in time. */
export function comparisonKey(take: Take, reference: Take): string {
  return `${told(take).cut} ${told(reference).whole}`;
}

/** The take that others are lined up with: that of the first one that is, otherwise the first take. */
export function referenceOf({ takes }: Pick<Part, 'takes'>): Take {
  const to = takes.find(({ align }) => align !== null)?.align?.to;
  return takes.find(({ id }) => id === to) ?? takes[0];
}

/** What is done with the takes of a part: one thing at a time, each with its progress, and stopped. */
export class TakesWork {
  readonly store = createStore<TakesState>(() => ({
    busy: null,
    figures: {},
    comparisons: {},
    leftAlone: null,
  }));
  readonly #open: OpenSong;
  #stop: AbortController | null = null;
  /** Where the tightness is turned to while a path is being found for where it was. */
  #wanted: number | null = null;
  #turning = false;

  constructor(open: OpenSong) {
    this.#open = open;
  }

  stop(): void {
    this.#stop?.abort();
  }

  async #work(
    what: string,
    part: Part,
    reference: Take,
    how: {
      readonly takes?: readonly Take[];
      readonly cut?: CutSettings | null;
      readonly tightnessPercent?: number | null;
      readonly figures?: boolean;
    },
  ): Promise<readonly WorkedTake[] | null> {
    this.#stop?.abort();
    const stop = new AbortController();
    this.#stop = stop;
    const { recordings, rateHz } = this.#open.session.store.getState().song;
    const { comparisons } = this.store.getState();
    const known: Record<string, Comparison> = {};
    for (const take of part.takes) {
      const key = comparisonKey(take, reference);
      if (key in comparisons) known[take.id] = comparisons[key];
    }
    this.store.setState({ busy: { what, share: 0 } });
    try {
      const { takes = part.takes, cut = null, tightnessPercent = null, figures = false } = how;
      return await ask(
        takesQuestion,
        {
          song: { recordings, rateHz },
          reference,
          takes,
          cut,
          tightnessPercent,
          comparisons: known,
          figures,
        },
        {
          signal: stop.signal,
          progress: (share) => this.store.setState({ busy: { what, share } }),
        },
      );
    } catch (error) {
      if (!wasStopped(error)) say(error instanceof Error ? error.message : String(error));
      return null;
    } finally {
      if (this.#stop === stop) {
        this.#stop = null;
        this.store.setState({ busy: null });
      }
    }
  }

  /** Takes of a part that are not measured as they lie now. */
  missing(part: Part): readonly Take[] {
    const reference = referenceOf(part);
    const { figures, comparisons } = this.store.getState();
    return part.takes.filter(
      (take) =>
        !(figuresKey(take, reference) in figures) ||
        (take.id !== reference.id && !(comparisonKey(take, reference) in comparisons)),
    );
  }

  /** Measures what is not known yet. @param asked also where that was stopped or failed before */
  async measure(part: Part, asked = false): Promise<void> {
    const reference = referenceOf(part);
    const missing = this.missing(part);
    if (missing.length === 0 || this.#stop) return;
    if (!asked && this.store.getState().leftAlone === part.takes) return;
    const worked = await this.#work('measuring the takes', part, reference, {
      takes: missing,
      figures: true,
    });
    this.store.setState({ leftAlone: worked ? null : part.takes });
    for (const { takeId, figures: found, comparison } of worked ?? []) {
      const take = part.takes.find(({ id }) => id === takeId);
      if (!take) continue;
      this.store.setState((state) => ({
        figures: found ? { ...state.figures, [figuresKey(take, reference)]: found } : state.figures,
        comparisons: comparison
          ? { ...state.comparisons, [comparisonKey(take, reference)]: comparison }
          : state.comparisons,
      }));
    }
  }

  /** Cuts silence out, brings all into time with the reference, or both: one step of work. */
  async arrange(
    part: Part,
    what: string,
    how: { readonly cut?: CutSettings | null; readonly tightnessPercent?: number | null },
  ): Promise<void> {
    await this.#arrange(part, what, how);
  }

  async #arrange(
    part: Part,
    what: string,
    how: {
      readonly takes?: readonly Take[];
      readonly cut?: CutSettings | null;
      readonly tightnessPercent?: number | null;
    },
  ): Promise<void> {
    const reference = referenceOf(part);
    const worked = await this.#work(what, part, reference, how);
    if (!worked) return;
    const there = worked.filter(({ takeId }) => this.#isAsItWas(part, takeId));
    if (there.length < worked.length)
      say('Takes that were changed meanwhile are left as they are: do it once more for them.');
    // What is held by hand is moved all the same.
    if (!how.takes) this.#say(part, there);
    this.#know(part, reference, there);
    const edits = there.map(({ takeId, clips, align }) => arranged(part, takeId, { clips, align }));
    if (edits.length > 0) this.#open.do(`${part.name}: ${what}`, edits);
  }

  /** Whether a take is there and lies as it did when work at it began. */
  #isAsItWas(part: Part, takeId: string): boolean {
    const [before, now] = [part, this.#open.keptPart(part.id)].map((one) =>
      one?.takes.find(({ id }) => id === takeId),
    );
    return before !== undefined && now !== undefined && told(before).whole === told(now).whole;
  }

  /** What was found of takes as they lie now is not looked for again. */
  #know(part: Part, reference: Take, worked: readonly WorkedTake[]): void {
    const lies = (take: Take): Take => {
      const now = worked.find(({ takeId }) => takeId === take.id);
      return now ? { ...take, clips: now.clips, align: now.align } : take;
    };
    const comparisons: Record<string, Comparison> = {};
    for (const { takeId, comparison } of worked) {
      const take = part.takes.find(({ id }) => id === takeId);
      if (take && comparison) comparisons[comparisonKey(lies(take), lies(reference))] = comparison;
    }
    this.store.setState((state) => ({ comparisons: { ...state.comparisons, ...comparisons } }));
  }

  #say(part: Part, worked: readonly WorkedTake[]): void {
    for (const { takeId, comparison } of worked)
      if (comparison?.alien) {
        const take = part.takes.find(({ id }) => id === takeId);
        say(`“${take?.name ?? takeId}”: ${comparison.alien}`);
      }
  }

  /** Heard while it is turned: the newest tightness that is wanted, as soon as its path is found. */
  turn(part: Part, tightnessPercent: number): void {
    this.#wanted = tightnessPercent;
    if (!this.#turning) void this.#follow(part);
  }

  async #follow(part: Part): Promise<void> {
    this.#turning = true;
    while (this.#wanted !== null) {
      const tightness = this.#wanted;
      const worked = await this.#turned(part, tightness);
      if (this.#wanted === null || !worked) break;
      this.#open.preview(
        worked.map(({ takeId, clips, align }) => arranged(part, takeId, { clips, align })),
      );
      if (this.#wanted === tightness) this.#wanted = null;
    }
    this.#turning = false;
  }

  #turned(part: Part, tightnessPercent: number): Promise<readonly WorkedTake[] | null> {
    const takes = part.takes.filter(({ align }) => align !== null);
    return this.#work(`lining up to ${tightnessPercent} %`, part, referenceOf(part), {
      takes,
      tightnessPercent,
    });
  }

  /** Holds a take at places of its own, and finds the way between them: one step of work. */
  async hold(part: Part, take: Take, what: string, anchors: readonly Anchor[]): Promise<void> {
    const reference = referenceOf(part);
    const { align } = take;
    const tightnessPercent = align?.tightnessPercent ?? 0;
    const held: Take = {
      ...take,
      align: {
        to: reference.id,
        polarity: align?.polarity ?? 'normal',
        path: align?.path ?? null,
        tightnessPercent,
        anchors,
      },
    };
    await this.#arrange(part, `${take.name} ${what}`, { takes: [held], tightnessPercent });
  }

  /** Let go of: that tightness is kept, as one step. */
  async turnedTo(part: Part, tightnessPercent: number): Promise<void> {
    this.#wanted = null;
    const worked = await this.#turned(part, tightnessPercent);
    if (!worked || worked.length === 0) {
      this.#open.session.endPreview();
      return;
    }
    this.#open.do(
      `${part.name}: lined up to ${tightnessPercent} %`,
      worked.map(({ takeId, clips, align }) => arranged(part, takeId, { clips, align })),
    );
  }

  close(): void {
    this.#wanted = null;
    this.#stop?.abort();
  }
}

function arranged(part: Part, takeId: string, changes: Partial<Take>): Edit {
  return { kind: 'set-take', partId: part.id, takeId, changes };
}
