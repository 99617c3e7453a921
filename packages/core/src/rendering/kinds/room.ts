import { ringingMemory, ringingOf, ringingTail } from '../../rooms/ringing.ts';
import { responseBytes, type RoomResponse } from '../../rooms/response.ts';
import type { AnySound, Ringing, Room } from '../../rooms/room.ts';
import { Biquad, type BiquadCoefficients } from '../../signal/biquad.ts';
import { highPass, lowPass } from '../../signal/filters.ts';
import { filterMemory } from '../../signal/memory.ts';
import { db, dbToGain } from '../../quantities/units.ts';
import { roomParameters } from '../../parameters/tables.ts';
import { Edges } from '../edges.ts';
import { Glide } from '../glide.ts';
import { quantumFrames } from '../quantum.ts';
import { noReach, type NodeBase, type NodeKind, type NodeRun, type RunContext } from './kind.ts';
import { hushed, OutputRun } from './output.ts';

/** A room: what it takes in are its feeds, what it gives is its return. */
export interface RoomNode extends NodeBase {
  readonly kind: 'room';
  readonly room: RoomSettings;
}

export type RoomSettings = Omit<
  Room,
  'id' | 'name' | 'feeds' | 'fromRooms' | 'frozen' | 'groupId'
> &
  Pick<AnySound, 'response' | 'times'>;

type Pair = readonly [Float64Array, Float64Array];

const pair = (): Pair => [new Float64Array(quantumFrames), new Float64Array(quantumFrames)];

/** What is done to early and late at the end: all of it gains. */
interface Mix {
  readonly early: number;
  /** Of the middle and the difference of both. */
  readonly middle: number;
  readonly difference: number;
  readonly left: number;
  readonly right: number;
}

function mixOf({ earlyDb, widthPercent, side, levelDb, muted }: RoomSettings): Mix {
  const level = muted ? 0 : dbToGain(db(levelDb));
  return {
    early: dbToGain(db(earlyDb)),
    middle: 0.5,
    difference: widthPercent / 200,
    left: side === 'right' ? 0 : level,
    right: side === 'left' ? 0 : level,
  };
}

const sameMix = (a: Mix, b: Mix) =>
  a.early === b.early && a.difference === b.difference && a.left === b.left && a.right === b.right;

/** Butterworth. */
const cutQ = Math.SQRT1_2;

function cutSections(
  { lowCutHz, highCutHz }: RoomSettings,
  rateHz: number,
): readonly BiquadCoefficients[] {
  const top = 0.45 * rateHz;
  return [
    ...(lowCutHz === null ? [] : [highPass(lowCutHz, cutQ, rateHz)]),
    ...(highCutHz === null || highCutHz >= top ? [] : [lowPass(highCutHz, cutQ, rateHz)]),
  ];
}

/** Low and high cut of both sides. */
class Cut {
  readonly key: string;
  readonly #filters: readonly (readonly Biquad[])[];

  constructor(room: RoomSettings, rateHz: number) {
    this.key = `${room.lowCutHz}/${room.highCutHz}`;
    const sections = cutSections(room, rateHz);
    this.#filters = [0, 1].map(() => sections.map((section) => new Biquad(section)));
  }

  clear(): void {
    for (const side of this.#filters) for (const filter of side) filter.clear();
  }

  process(side: 0 | 1, samples: Float64Array): void {
    for (const filter of this.#filters[side]) filter.process(samples, samples, quantumFrames);
  }
}

/** What has come in lately, read so much later; a change goes over from one to the other. */
class PreDelay {
  readonly #past: Float64Array;
  readonly #mask: number;
  readonly #late: Glide<number>;
  #at = 0;

  constructor(context: RunContext, frames: number) {
    const longest = (roomParameters.preDelayLeftMs.max * context.rateHz) / 1000;
    const room = 2 ** Math.ceil(Math.log2(longest + 2 * quantumFrames));
    this.#past = new Float64Array(room);
    this.#mask = room - 1;
    this.#late = new Glide(context.rateHz, frames, (a, b) => a === b);
  }

  aim(frames: number): void {
    this.#late.aim(frames);
  }

  settle(): void {
    this.#late.settle();
    this.#past.fill(0);
  }

  /** In place. */
  process(samples: Float64Array): void {
    const { from, to, moving, weights } = this.#late;
    const past = this.#past;
    const mask = this.#mask;
    const at = this.#at;
    for (let n = 0; n < quantumFrames; n++) past[(at + n) & mask] = samples[n];
    this.#late.begin();
    for (let n = 0; n < quantumFrames; n++) {
      const goal = past[(at + n - to) & mask];
      const before = moving ? past[(at + n - from) & mask] : goal;
      samples[n] = moving ? before + (goal - before) * weights[n] : goal;
    }
    this.#late.end();
    this.#at = (at + quantumFrames) & 0x3fffffff;
  }
}

const sameRinging = (a: Ringing, b: Ringing) => a === b;
const sameCut = (a: Cut, b: Cut) => a.key === b.key;

class RoomRun extends OutputRun<RoomNode> {
  readonly #edges: Edges;
  readonly #input = pair();
  readonly #early = pair();
  readonly #late = pair();
  readonly #otherEarly = pair();
  readonly #otherLate = pair();
  readonly #otherCut = pair();
  readonly #preDelays: readonly [PreDelay, PreDelay];
  readonly #ringing: Glide<Ringing>;
  readonly #cut: Glide<Cut>;
  readonly #mix: Glide<Mix>;

  constructor({ room }: RoomNode, inputs: readonly NodeRun[], context: RunContext) {
    super(context);
    const { rateHz } = context;
    this.#edges = new Edges(context, inputs);
    const [left, right] = this.#preFrames(room);
    this.#preDelays = [new PreDelay(context, left), new PreDelay(context, right)];
    this.#ringing = new Glide(rateHz, ringingOf(room, rateHz), sameRinging);
    this.#cut = new Glide(rateHz, new Cut(room, rateHz), sameCut);
    this.#mix = new Glide(rateHz, mixOf(room), sameMix);
  }

  #preFrames({ preDelayLeftMs, preDelayRightMs }: RoomSettings): readonly [number, number] {
    const frames = (ms: number) => Math.round((ms * this.context.rateHz) / 1000);
    return [frames(preDelayLeftMs), frames(preDelayRightMs)];
  }

  aim({ room }: RoomNode, inputs: readonly NodeRun[]): void {
    const { rateHz } = this.context;
    this.#edges.aim(inputs);
    if (this.#ringing.goal.fits(room)) this.#ringing.goal.aim(room);
    else this.#ringing.aim(ringingOf(room, rateHz));
    this.#cut.aim(new Cut(room, rateHz));
    this.#mix.aim(mixOf(room));
    for (const [n, frames] of this.#preFrames(room).entries()) this.#preDelays[n].aim(frames);
  }

  /** After a jump it is empty, as who listens expects of a room. */
  settle(): void {
    this.#edges.settle();
    this.#ringing.settle();
    this.#ringing.to.clear();
    this.#cut.settle();
    this.#cut.to.clear();
    this.#mix.settle();
    for (const preDelay of this.#preDelays) preDelay.settle();
  }

  protected make(): void {
    const [left, right] = this.#input;
    this.#edges.add(left.fill(0), right.fill(0));
    this.#preDelays[0].process(left);
    this.#preDelays[1].process(right);
    this.#ring(left, right);
    this.#mixDown();
    this.#cutOff();
    const [outLeft, outRight] = this.#late;
    for (let n = 0; n < quantumFrames; n++) {
      this.left[n] = hushed(outLeft[n]);
      this.right[n] = hushed(outRight[n]);
    }
  }

  /** Early and late return; of two while one goes over to another. */
  #ring(left: Float64Array, right: Float64Array): void {
    const glide = this.#ringing;
    const { from, to, moving } = glide;
    const { frame } = this.context;
    if (!moving) {
      to.process(left, right, this.#early, this.#late, quantumFrames, frame);
      return;
    }
    from.process(left, right, this.#otherEarly, this.#otherLate, quantumFrames, frame);
    const { weights } = glide;
    glide.begin();
    // One that begins is let in to what sounds: its first echoes would click.
    for (let n = 0; n < quantumFrames; n++) {
      left[n] *= weights[n];
      right[n] *= weights[n];
    }
    to.process(left, right, this.#early, this.#late, quantumFrames, frame);
    for (let side = 0; side < 2; side++)
      for (let n = 0; n < quantumFrames; n++) {
        this.#early[side][n] += (1 - weights[n]) * this.#otherEarly[side][n];
        this.#late[side][n] += (1 - weights[n]) * this.#otherLate[side][n];
      }
    glide.end();
  }

  /** Into `#late`. */
  #mixDown(): void {
    const glide = this.#mix;
    const { from, to, moving } = glide;
    glide.begin();
    const [earlyLeft, earlyRight] = this.#early;
    const [lateLeft, lateRight] = this.#late;
    for (let n = 0; n < quantumFrames; n++) {
      const w = moving ? glide.weights[n] : 1;
      const early = from.early + (to.early - from.early) * w;
      const wide = from.difference + (to.difference - from.difference) * w;
      const l = lateLeft[n] + early * earlyLeft[n];
      const r = lateRight[n] + early * earlyRight[n];
      const middle = to.middle * (l + r);
      const difference = wide * (l - r);
      lateLeft[n] = (middle + difference) * (from.left + (to.left - from.left) * w);
      lateRight[n] = (middle - difference) * (from.right + (to.right - from.right) * w);
    }
    glide.end();
  }

  #cutOff(): void {
    const glide = this.#cut;
    const { from, to, moving } = glide;
    if (moving)
      for (const side of [0, 1] as const) {
        this.#otherCut[side].set(this.#late[side]);
        from.process(side, this.#otherCut[side]);
      }
    to.process(0, this.#late[0]);
    to.process(1, this.#late[1]);
    if (!moving) return;
    glide.begin();
    goOver(this.#otherCut, this.#late, glide.weights);
    glide.end();
  }
}

/** `to` becomes what lies between both, by weights. */
function goOver(from: Pair, to: Pair, weights: Float64Array): void {
  for (let side = 0; side < 2; side++)
    for (let n = 0; n < quantumFrames; n++)
      to[side][n] = from[side][n] + (to[side][n] - from[side][n]) * weights[n];
}

const responseKey = (key: string) => `response/${key}`;

export const roomKind: NodeKind<RoomNode> = {
  start: (node, inputs, context) => new RoomRun(node, inputs, context),
  sources: () => [],
  reach: () => noReach,
  memoryFrames: ({ room }, rateHz) => {
    const preMs = Math.max(room.preDelayLeftMs, room.preDelayRightMs);
    const pre = Math.ceil((preMs / 1000) * rateHz);
    return pre + ringingMemory(room, rateHz) + filterMemory(cutSections(room, rateHz));
  },
  tailFrames: ({ room }, rateHz) => ringingTail(room, rateHz),
  latencyFrames: () => 0,
  pack: (node) => {
    const { response } = node.room;
    if (!response) return { node, assets: [] };
    const { key } = response;
    return {
      node: { ...node, room: { ...node.room, response: { key } as RoomResponse } },
      assets: [{ key: responseKey(key), value: response, bytes: responseBytes(response) }],
    };
  },
  unpack: (node, find) => {
    const { response } = node.room;
    if (!response) return node;
    const whole = find(responseKey(response.key)) as RoomResponse;
    return { ...node, room: { ...node.room, response: whole } };
  },
};
