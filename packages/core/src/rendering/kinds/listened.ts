import { voiceChangeMs } from '../../parameters/tables.ts';
import { Glide } from '../glide.ts';
import { plainMonitoring, type Monitoring } from '../monitoring.ts';
import { quantumFrames } from '../quantum.ts';
import { noReach, type NodeBase, type NodeKind, type NodeRun, type RunContext } from './kind.ts';
import { OutputRun } from './output.ts';

/**
 * A part for the ears, as it is listened to; nothing of it is exported. It takes in the image (or what of it goes to a room), and plain where that can
 * be heard in its place. Or a group, or what a room gives back into one, which is heard where rooms are.
 */
export interface ListenedNode extends NodeBase {
  readonly kind: 'listened';
  /** A room is neither a part nor a group. */
  readonly partId: string | null;
  readonly groupId: string | null;
  readonly muted: boolean;
}

interface Gains {
  readonly image: number;
  readonly plain: number;
}

const silent: Gains = { image: 0, plain: 0 };
const sameGains = (a: Gains, b: Gains) => a.image === b.image && a.plain === b.plain;

export class ListenedRun extends OutputRun<ListenedNode> {
  /** Of a feed it changes, where one before it goes. */
  partId: string | null;
  readonly #groupId: string | null;
  /** As it would be exported. */
  readonly image: OutputRun<NodeBase>;
  readonly #plain: OutputRun<NodeBase> | undefined;
  readonly #gains: Glide<Gains>;
  #muted: boolean;
  #monitoring = plainMonitoring;

  constructor(node: ListenedNode, inputs: readonly NodeRun[], context: RunContext) {
    super(context);
    this.partId = node.partId;
    this.#groupId = node.groupId;
    this.image = inputs[0] as OutputRun<NodeBase>;
    this.#plain = inputs.at(1) as OutputRun<NodeBase> | undefined;
    this.#muted = node.muted;
    // One that is new fades in from nothing; what is brought into a new group was heard before.
    const first = node.groupId === null ? silent : this.#goal();
    this.#gains = new Glide(context.rateHz, first, sameGains, voiceChangeMs);
    this.#gains.aim(this.#goal());
  }

  /** What it takes in has the same names as long as the part is there. */
  aim({ muted, partId }: ListenedNode): void {
    this.partId = partId;
    this.#muted = muted;
    this.#gains.aim(this.#goal());
  }

  listen(monitoring: Monitoring): void {
    this.#monitoring = monitoring;
    this.#gains.aim(this.#goal());
  }

  settle(): void {
    this.#gains.settle();
  }

  #goal(): Gains {
    const { solo, plain, image, groups, roomsHeard } = this.#monitoring;
    if (this.#groupId !== null) return { image: groups[this.#groupId] ?? 1, plain: 0 };
    if (this.partId === null) return { image: roomsHeard ? 1 : 0, plain: 0 };
    const heard = solo.length ? solo.includes(this.partId) : !this.#muted;
    const match = plain[this.partId];
    return {
      image: heard && match === undefined ? (image[this.partId] ?? 1) : 0,
      plain: heard && match !== undefined && this.#plain ? match : 0,
    };
  }

  protected make(): void {
    const { image, left, right } = this;
    const { from, to, moving } = this.#gains;
    // What is watched and measured is the image, whether it is heard or not.
    image.render();
    if (!moving && to.plain === 0) {
      for (let n = 0; n < quantumFrames; n++) {
        left[n] = to.image * image.left[n];
        right[n] = to.image * image.right[n];
      }
      return;
    }
    const plain = this.#plain ?? image;
    if (to.plain !== 0 || from.plain !== 0) plain.render();
    this.#gains.begin();
    for (let n = 0; n < quantumFrames; n++) {
      const w = moving ? this.#gains.weights[n] : 1;
      const imageGain = between(from.image, to.image, w);
      const plainGain = from.plain + (to.plain - from.plain) * w;
      left[n] = imageGain * image.left[n] + plainGain * plain.left[n];
      right[n] = imageGain * image.right[n] + plainGain * plain.right[n];
    }
    this.#gains.end();
  }
}

/**
 * From one gain of an image to another, as its sound goes over from one state to the other: states that are matched are as loud as one over
 * their gains, and that goes over evenly, so that their product stands still.
 */
function between(from: number, to: number, w: number): number {
  if (from === to) return to;
  return from > 0 && to > 0 ? 1 / (1 / from + (1 / to - 1 / from) * w) : from + (to - from) * w;
}

export const listenedKind: NodeKind<ListenedNode> = {
  start: (node, inputs, context) => new ListenedRun(node, inputs, context),
  sources: () => [],
  reach: () => noReach,
  memoryFrames: () => 0,
  latencyFrames: () => 0,
};
