import { curveAt } from '@pannet/core/moves/curve';
import type { Points } from '@pannet/core/moves/points';
import { withWritten, type Held } from '@pannet/core/moves/written';
import { clampParameter } from '@pannet/core/parameters/parameter';
import { movingParameters } from '@pannet/core/parameters/tables';
import { clock } from '@pannet/core/quantities/wording';
import type { Edit } from '@pannet/core/song/edits/edit';
import { moveOf, withMove, type MoveTarget } from '@pannet/core/song/moves-of';
import { movingWords, settingName } from '@pannet/core/song/settings';
import { rateOf } from '@pannet/core/song/song';
import { say } from '../controls/notices.ts';
import type { Seen } from '../playback/messages.ts';
import type { Playback } from '../playback/playback.ts';
import type { SongSession } from '../sync/song-session.ts';

/** What is heard goes along at most so often. */
const heardEveryMs = 60;
/** What is held is heard to be held until the next word of it comes, in s. */
const aheadS = 1;

/** What moves not yet: before and after it is held nothing is added. */
const standing: Points = { kind: 'points', points: [{ atS: 0, by: 0, shape: 'straight' }] };

/** One setting that is held. */
interface Written {
  readonly id: string;
  readonly target: MoveTarget;
  readonly before: Points;
  readonly held: Held[];
  /** What it adds, by what its curve would. */
  to: (was: number) => number;
}

/** What is held while the song plays, written along it: as few points as say it, and one step when it is let go of. */
export class Hand {
  readonly #session: SongSession;
  readonly #show: (edits: readonly Edit[]) => void;
  readonly #ended: () => void;
  readonly #written = new Map<string, Written>();
  readonly #unsee: () => void;
  #heardAt = 0;

  /**
   * @param show lets what is written be seen and heard
   * @param ended where the loop goes round or the song stops: what was held is kept as far as it went
   */
  constructor(
    session: SongSession,
    playback: Playback,
    show: (edits: readonly Edit[]) => void,
    ended: () => void,
  ) {
    this.#session = session;
    this.#show = show;
    this.#ended = ended;
    this.#unsee = playback.onSeen((seen) => this.#see(seen));
  }

  /** Holds a setting, or where it is held already, otherwise. Of what goes by a cycle nothing is written. */
  hold(target: MoveTarget, to: Written['to']): void {
    const key = JSON.stringify(target);
    const known = this.#written.get(key);
    if (known) {
      known.to = to;
      return;
    }
    const curve = moveOf(this.#session.store.getState().song, target)?.curve;
    if (curve?.kind === 'cycle') return;
    const before = curve ?? standing;
    this.#written.set(key, { id: crypto.randomUUID(), target, before, held: [], to });
  }

  /** All that is not among these goes back to what its curve is, and is held there. */
  restOf(targets: readonly MoveTarget[]): void {
    const keys = new Set(targets.map((target) => JSON.stringify(target)));
    for (const [key, written] of this.#written) if (!keys.has(key)) written.to = (was) => was;
  }

  get #rateHz(): number {
    return rateOf(this.#session.store.getState().song);
  }

  #see({ state, frame }: Pick<Seen, 'state' | 'frame'>): void {
    const atS = frame / this.#rateHz;
    for (const { held, before, target, to } of this.#written.values()) {
      const last = held.at(-1);
      if (state !== 'playing' || (last && atS < last.atS)) {
        this.#ended();
        this.letGo();
        return;
      }
      if (last && atS === last.atS) continue;
      const was = curveAt(before, atS, null, target.parameter);
      held.push({ atS, by: clampParameter(movingParameters[target.parameter], to(was)) });
    }
    const now = performance.now();
    if (now - this.#heardAt < heardEveryMs) return;
    this.#heardAt = now;
    this.#show(this.#edits(aheadS));
  }

  /** @param beyondS for how much longer than it was held it is to be held */
  #edits(beyondS: number): Edit[] {
    const { song } = this.#session.store.getState();
    let { moves } = song;
    for (const { id, target, before, held } of this.#written.values()) {
      const last = held.at(-1);
      if (!last) continue;
      const further = beyondS > 0 ? [...held, { ...last, atS: last.atS + beyondS }] : held;
      const curve = withWritten(before, further, target.parameter);
      moves = withMove({ moves }, target, curve, id);
    }
    return [{ kind: 'set-moves', moves: [...moves] }];
  }

  /** Lets go, and keeps nothing. */
  drop(): void {
    this.#unsee();
    this.#session.endPreview();
  }

  /** Keeps what was held. */
  letGo(): void {
    const [first, ...others] = [...this.#written.values()].filter(({ held }) => held.length > 0);
    if (!(first as Written | undefined)) {
      this.drop();
      return;
    }
    this.#unsee();
    const { song } = this.#session.store.getState();
    const { target, held } = first;
    const when = `${clock(held[0].atS, 1)}–${clock(held[held.length - 1].atS, 1)}`;
    const more = others.length > 0 ? ` and ${others.length} more` : '';
    const name = `${settingName(song, target)}, ${movingWords[target.parameter]}${more}: written ${when}`;
    const done = this.#session.do(name, this.#edits(0));
    if (!done.ok) say(done.error.sentence);
  }
}
