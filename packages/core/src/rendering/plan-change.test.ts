import { describe, expect, test } from '@jest/globals';
import { serialize } from 'node:v8';
import { recipes } from '../image/recipes.ts';
import { noise } from '../measurement/signals.fixture.ts';
import { apply } from '../song/commands.ts';
import type { Song } from '../song/song.ts';
import type { SplicePlan } from '../voices/splices.ts';
import { spliceNeeds } from '../derived/splice-library.ts';
import { compile } from './compile.ts';
import { memorySong } from './memory.fixture.ts';
import type { PlanGraph, RenderPlan } from './plan.ts';
import { PlanReceiver, PlanSender, type PlanChange } from './plan-change.ts';

const rate = 48_000;
const doubles = recipes[1].image;

/** Splices as those of half a minute. */
function longSplices(ratio: number): SplicePlan {
  const count = 1500;
  const starts = Float64Array.from({ length: count }, (_, n) => n * 1200);
  return {
    ratio,
    crossfadeFrames: 480,
    starts,
    positions: starts.slice(),
    likeness: new Float64Array(count).fill(1),
  } as SplicePlan;
}

const song = memorySong(
  Array.from({ length: 24 }, (_, n) => noise(0.2, rate, n)),
  rate,
  doubles,
).song;
const splices = new Map(spliceNeeds(song).map((need) => [need.key, longSplices(need.ratio)]));

function dragged(at: Song, delayMs: number): Song {
  const outcome = apply(at, {
    id: 'c',
    name: 'drag',
    role: 'do',
    edits: [
      {
        kind: 'set-voice',
        partId: 'p7',
        voiceId: 'v2',
        changes: { delay: { value: delayMs, unit: 'ms' } },
      },
    ],
  });
  if (!outcome.ok) throw new Error(outcome.error.sentence);
  return outcome.value.song;
}

const bytes = (change: PlanChange) => serialize(change).byteLength;
/** What lies in splices is too much to be looked at value by value: their ends and their sum stand for it. */
const told = (plan: PlanGraph) =>
  JSON.stringify(plan.nodes, (_, value: unknown) =>
    ArrayBuffer.isView(value)
      ? Array.from(value as Float64Array).reduce((sum, one) => sum + one, value.byteLength)
      : value,
  );
const sameNodes = (a: PlanGraph, b: PlanGraph) => told(a) === told(b);
const travelled = (change: PlanChange) => structuredClone(change);

describe('a plan travels as what has changed', () => {
  const plan = compile(song, splices);

  test('what arrives is the plan, step by step; a step of a drag is under 20 kB, splices travel once', () => {
    const sender = new PlanSender();
    const receiver = new PlanReceiver();
    const first = sender.change(plan);
    expect(first.assets).toHaveLength(48);
    expect(sameNodes(receiver.take(travelled(first)), plan)).toBe(true);
    let before: RenderPlan = plan;
    for (let step = 1; step <= 20; step++) {
      const next = compile(dragged(song, 10 + step / 10), splices, before);
      const change = sender.change(next);
      expect(bytes(change)).toBeLessThan(20_000);
      expect(change.assets).toEqual([]);
      expect(change.order).toBeNull();
      expect(sameNodes(receiver.take(travelled(change)), next)).toBe(true);
      before = next;
    }
  });

  test('only what has changed is looked at: other parts are the same nodes', () => {
    const next = compile(dragged(song, 17), splices, plan);
    const moved = next.nodes.filter((node, n) => node !== plan.nodes[n]);
    expect(moved.map(({ id }) => id)).toEqual(['part/p7/strand/v2']);
    expect(next.parts.filter((part, n) => part !== plan.parts[n]).map(({ id }) => id)).toEqual([
      'p7',
    ]);
  });

  test('a part that is removed is forgotten, and what is big of it on a word', () => {
    const sender = new PlanSender();
    const receiver = new PlanReceiver();
    receiver.take(travelled(sender.change(plan)));
    let current: Song = song;
    let forgotten = 0;
    for (let n = 0; n < 20; n++) {
      const outcome = apply(current, {
        id: 'c',
        name: 'remove',
        role: 'do',
        edits: [{ kind: 'remove-part', partId: `p${n}` }],
      });
      if (!outcome.ok) throw new Error(outcome.error.sentence);
      current = outcome.value.song;
      const next = compile(current, splices);
      const change = sender.change(next);
      forgotten += change.forget.length;
      expect(sameNodes(receiver.take(travelled(change)), next)).toBe(true);
    }
    // 40 splices of removed parts, of which some are kept for whoever takes the step back.
    expect(forgotten).toBe(40 - 24);
    const again = sender.change(plan);
    expect(sameNodes(receiver.take(travelled(again)), plan)).toBe(true);
  });
});
