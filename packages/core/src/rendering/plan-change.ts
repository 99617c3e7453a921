import type { Asset, NodeBase } from './kinds/kind.ts';
import { allKinds, type Kinds } from './kinds/kinds.ts';
import type { PlanGraph } from './plan.ts';

/** What has changed between two plans, as it travels to whoever runs them. Structured-cloneable. */
export interface PlanChange {
  readonly rateHz: number;
  readonly frames: number;
  /** The ids of all nodes, in order; null where that is as it was. */
  readonly order: readonly string[] | null;
  /** Nodes that are new or have changed, without what is big. */
  readonly set: readonly NodeBase[];
  /** What is big and has not travelled yet. */
  readonly assets: readonly Asset[];
  /** Keys of what will not be asked for any more. */
  readonly forget: readonly string[];
}

/** So many assets that no node of the newest plan has are kept on the other side, and so much of those that are big: a drag often comes back to them. */
const mostSpare = 24;
const mostSpareBytes = 48e6;

/** Knows what the other side has, and tells it what it lacks. */
export class PlanSender {
  readonly #kinds: Kinds;
  #before = new Map<string, NodeBase>();
  /** Keys of the assets over there with how big they are, those used last at the end. */
  readonly #there = new Map<string, number>();

  constructor(kinds: Kinds = allKinds) {
    this.#kinds = kinds;
  }

  change(plan: PlanGraph): PlanChange {
    const set: NodeBase[] = [];
    const assets: Asset[] = [];
    const used = new Set<string>();
    const now = new Map<string, NodeBase>();
    const known = [...this.#before.keys()];
    let sameOrder = known.length === plan.nodes.length;
    for (const [n, node] of plan.nodes.entries()) {
      now.set(node.id, node);
      if (known[n] !== node.id) sameOrder = false;
      const packed = this.#kinds[node.kind].pack?.(node) ?? { node, assets: [] };
      for (const { key } of packed.assets) used.add(key);
      if (this.#before.get(node.id) === node) continue;
      set.push(packed.node);
      for (const asset of packed.assets) if (!this.#there.has(asset.key)) assets.push(asset);
      for (const { key, bytes = 0 } of packed.assets) this.#there.set(key, bytes);
    }
    this.#before = now;
    const order = sameOrder ? null : [...now.keys()];
    return {
      rateHz: plan.rateHz,
      frames: plan.frames,
      order,
      set,
      assets,
      forget: this.#spare(used),
    };
  }

  #spare(used: ReadonlySet<string>): string[] {
    for (const key of used) {
      const bytes = this.#there.get(key) ?? 0;
      this.#there.delete(key);
      this.#there.set(key, bytes);
    }
    const spare = [...this.#there].filter(([key]) => !used.has(key));
    let over = spare.reduce((sum, [, bytes]) => sum + bytes, 0) - mostSpareBytes;
    const forget: string[] = [];
    for (const [n, [key, bytes]] of spare.entries()) {
      if (spare.length - n <= mostSpare && over <= 0) break;
      over -= bytes;
      forget.push(key);
      this.#there.delete(key);
    }
    return forget;
  }
}

/** The other side: has the plan whole again. */
export class PlanReceiver {
  readonly #kinds: Kinds;
  #nodes = new Map<string, NodeBase>();
  readonly #assets = new Map<string, object>();

  constructor(kinds: Kinds = allKinds) {
    this.#kinds = kinds;
  }

  take({ rateHz, frames, order, set, assets, forget }: PlanChange): PlanGraph {
    for (const { key, value } of assets) this.#assets.set(key, value);
    const find = (key: string) => {
      const asset = this.#assets.get(key);
      if (!asset) throw new Error(`The asset ${key} has not come.`);
      return asset;
    };
    for (const node of set)
      this.#nodes.set(node.id, this.#kinds[node.kind].unpack?.(node, find) ?? node);
    for (const key of forget) this.#assets.delete(key);
    if (order) this.#nodes = new Map(order.map((id) => [id, this.#nodes.get(id) as NodeBase]));
    return { rateHz, frames, nodes: [...this.#nodes.values()] };
  }
}
