import { lagsKept, LagTable } from './lag-table.ts';

const { abs, floor, max, min } = Math;

export interface PathRequest {
  readonly table: LagTable;
  /** By how many frames the reading moves away from its place in a frame. */
  readonly slope: number;
  /** Where the path begins: a voice time, how far the reading is from its place there, and from when on it may be spliced. */
  readonly start: { readonly time: number; readonly offset: number; readonly free: number };
  /** No splice begins before the one before it is over. */
  readonly crossfadeFrames: number;
  /** So far away from its place a frame in which nothing changes costs as much as its own energy. */
  readonly stillFrames: number;
  /** How dear it is to be early or late where the sound changes, beside what a splice costs. */
  readonly inTime: number;
  /** Farther away it is only where nothing else is left. */
  readonly widestFrames: number;
}

export interface PathSplice {
  /** Voice time. */
  readonly time: number;
  readonly lag: number;
  /** Whether something is repeated after the lag, so that it can be refined. */
  readonly repeats: boolean;
  /** How far from its place the reading is behind the splice. */
  readonly offset: number;
}

interface Node extends PathSplice {
  readonly before: Node | null;
}

/** Of all ways that end at about the same distance from the place the cheapest one is followed on. */
const bins = 96;
const farAway = 1e6;
/** Under so much energy, a silence, nothing is dear, and the voice goes back to its place. */
const leastEnergy = 1e-9;

/** Nothing is spliced that need not be: what a splice costs that is not heard at all, as a share of what sounds. */
const needless = 0.002;

/** Ways that are followed, one in each bin. */
class Front {
  readonly offsets = new Float64Array(bins);
  readonly costs = new Float64Array(bins).fill(Infinity);
  /** The first time at which the next splice may be. */
  readonly free = new Float64Array(bins);
  readonly nodes: (Node | null)[] = new Array<Node | null>(bins).fill(null);
}

/**
 * Looks for the cheapest way of a reading through its take, over all splices together: a splice costs the energy of the difference
 * that it makes, a frame away from its place what its sound changes by over such a distance, by its square. So splices fall where they
 * are soft, what is struck stands in time, and far away the voice is only where little changes. Dynamic programming over the distance
 * (Bellman 1957).
 */
export class SplicePath {
  readonly #request: PathRequest;
  readonly #binFrames: number;
  #front = new Front();
  #next = new Front();
  #time: number;

  constructor(request: PathRequest) {
    this.#request = request;
    this.#binFrames = (2 * request.widestFrames) / bins;
    const { time, offset, free } = request.start;
    this.#time = time;
    const bin = this.#binOf(offset);
    this.#front.costs[bin] = 0;
    this.#front.offsets[bin] = offset;
    this.#front.free[bin] = free;
  }

  #binOf(offset: number): number {
    const bin = floor((offset + this.#request.widestFrames) / this.#binFrames);
    return max(0, min(bins - 1, bin));
  }

  /** Follows all ways on, up to `to`; the table has to be there as far as they may read. */
  advance(to: number): void {
    const { hopFrames } = this.#request.table;
    for (; this.#time + hopFrames < to; this.#time += hopFrames) this.#step();
  }

  #step(): void {
    const { table, slope, crossfadeFrames, stillFrames, inTime, widestFrames } = this.#request;
    const hop = table.hopFrames;
    const direction = slope > 0 ? 1 : -1;
    const still = hop / (stillFrames * stillFrames);
    const time = this.#time + hop;
    const { offsets, costs, free, nodes } = this.#front;
    const next = this.#next;
    next.costs.fill(Infinity);
    for (let n = 0; n < bins; n++) {
      if (costs[n] === Infinity) continue;
      const offset = offsets[n] + slope * hop;
      const row = table.rowAt(time + offset);
      const chunk = table.chunkAt(row);
      const within = LagTable.within(row);
      const sounding = chunk.energies[within] + leastEnergy;
      const change = inTime * chunk.changes[within];
      // What changes by so much from hop to hop; the square of the distance is in hops.
      const away = sounding * still + change / hop;
      const bother = sounding * crossfadeFrames * needless;
      const stay = costs[n] + offset * offset * away + (abs(offset) > widestFrames ? farAway : 0);
      const bin = this.#binOf(offset);
      if (stay < next.costs[bin]) {
        next.costs[bin] = stay;
        next.offsets[bin] = offset;
        next.free[bin] = free[n];
        next.nodes[bin] = nodes[n];
      }
      if (time < free[n]) continue;
      const first = within * lagsKept;
      for (let k = first; k < first + lagsKept; k++) {
        const lag = abs(chunk.lags[k]);
        const jumped = offset - direction * lag;
        const tooFar = abs(jumped) > widestFrames;
        if (lag === 0 || (tooFar && abs(jumped) >= abs(offset))) continue;
        const cost =
          costs[n] +
          (tooFar ? farAway : 0) +
          chunk.costs[k] * crossfadeFrames +
          jumped * jumped * away +
          bother;
        const there = this.#binOf(jumped);
        if (cost >= next.costs[there]) continue;
        next.costs[there] = cost;
        next.offsets[there] = jumped;
        next.free[there] = time + crossfadeFrames;
        next.nodes[there] = {
          time,
          lag,
          repeats: chunk.lags[k] > 0,
          offset: jumped,
          before: nodes[n],
        };
      }
    }
    [this.#front, this.#next] = [next, this.#front];
  }

  /** The splices of the cheapest way up to here, in order. */
  splices(): PathSplice[] {
    const { costs, nodes } = this.#front;
    let best = 0;
    for (let n = 1; n < bins; n++) if (costs[n] < costs[best]) best = n;
    const splices: PathSplice[] = [];
    for (let node = nodes[best]; node; node = node.before) splices.push(node);
    return splices.reverse();
  }
}
