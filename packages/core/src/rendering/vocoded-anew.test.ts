import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { neutralImage } from '../image/image.ts';
import { sine } from '../measurement/signals.fixture.ts';
import { newVoice, type Voice } from '../voices/voice.ts';
import { voiceParameters } from '../parameters/tables.ts';
import { makingLoader } from '../derived/making.ts';
import { blockLength, blockRange, briefBlockFrames } from '../sources/blocks.ts';
import { compile } from './compile.ts';
import { memoryPlayer, memorySong, runPlayer, type MemorySong } from './memory.fixture.ts';
import { renderStretch } from './offline.ts';
import { anewFor, vocodedKeys, withVocodedAnew } from './vocoded-anew.ts';
import { PlanReceiver, PlanSender } from './plan-change.ts';
import { planReach, planSources, roots, type PlanGraph, type RenderPlan } from './plan.ts';

const rate = 48_000;
const { floor, sqrt, log10, abs, max } = Math;

function padsVoice(id: string, cents: number, delayMs = 0): Voice {
  const tuner = { cents, kind: 'pads' } as const;
  return newVoice(id, id, { tuner, delay: { value: delayMs, unit: 'ms' } });
}

function songOf(voices: readonly Voice[]) {
  const image = { ...neutralImage(), voices };
  return memorySong([sine(330, -12, 12, rate)], rate, image);
}

/** Brings the new source of a plan block by block while the one before it plays: how far it reaches, in ms, when it is gone over to. */
async function heardWith(memory: MemorySong, before: RenderPlan, after: PlanGraph, at: number) {
  const { player, store } = await memoryPlayer(memory, before);
  player.seek(at);
  player.play();
  runPlayer(player, 4800);
  const { position } = player;
  // As it comes to where it plays.
  player.aim(new PlanReceiver().take(structuredClone(new PlanSender().change(after))));
  const [source] = planSources(after, roots.heard).filter(({ key }) => !store.has(key, 0));
  const { behind, ahead } = planReach(after, roots.heard);
  const load = makingLoader(memory.load);
  const [first] = blockRange(source, position - behind, position);
  for (let index = first; ; index++) {
    store.put(source.key, index, await load(source, index));
    player.supplied();
    if (player.heardKeys.includes(source.key))
      return {
        reserveMs: (1000 * ((index + 1) * blockLength(source) - position - ahead)) / rate,
        player,
      };
  }
}

describe('pads that begin anew', () => {
  test('are gone over to while a tenth of a second of them is there, and go on without a gap', async () => {
    const memory = songOf([padsVoice('a', 9)]);
    const before = compile(memory.song, new Map());
    const after = compile(songOf([padsVoice('a', 12)]).song, new Map());
    const at = 4 * rate;
    const anew = withVocodedAnew(
      after,
      new Map([...vocodedKeys(after)].map((key) => [key, anewFor(after, at + 4800)])),
    );
    const block = (1000 * briefBlockFrames) / rate;
    const brief = await heardWith(memory, before, anew, at);
    expect(brief.reserveMs).toBeGreaterThanOrEqual(100);
    expect(brief.reserveMs).toBeLessThan(100 + block);
    // What is exported waits for as much as all else does.
    const exported = await heardWith(memory, before, after, at);
    expect(exported.reserveMs).toBeGreaterThanOrEqual(300);
    runPlayer(brief.player, 0.1 * rate);
    expect(brief.player.underruns).toBe(0);
  });

  test('only pads of which it is said do, and all else of a plan is as it was', () => {
    const { song } = songOf([newVoice('dry', 'dry'), padsVoice('a', 9), padsVoice('b', -9)]);
    const plan = compile(song, new Map());
    const keys = [...vocodedKeys(plan)];
    expect(keys).toHaveLength(2);
    expect(withVocodedAnew(plan, new Map())).toBe(plan);
    const anew = withVocodedAnew(plan, new Map([[keys[0], 7]]));
    const changed = anew.nodes.filter((node, n) => node !== plan.nodes[n]);
    expect(changed.length).toBeGreaterThan(0);
    const [before, after] = [plan, anew].map((one) => planSources(one).map(({ key }) => key));
    expect(after).toHaveLength(before.length);
    expect(after.filter((key) => !before.includes(key))).toHaveLength(1);
    expect(after).toContain(keys[1]);
  });

  test('wherever it plays and however late a voice is, they begin before what is read of them', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 0, max: 12 * rate }),
        fc.double({ ...voiceParameters.delayMs, noNaN: true }),
        (frame, delayMs) => {
          const plan = compile(songOf([padsVoice('a', 9, delayMs)]).song, new Map());
          const { behind } = planReach(plan, roots.heard);
          const begins = anewFor(plan, frame) * briefBlockFrames;
          expect(begins).toBeLessThanOrEqual(max(0, frame - behind));
          expect(begins).toBeGreaterThan(frame - behind - briefBlockFrames);
        },
      ),
      { numRuns: 50 },
    );
  });

  test('they sound as loud and as high as those that have run for long', async () => {
    const { song, load } = songOf([padsVoice('a', 30)]);
    const plan = compile(song, new Map());
    // Far from where phases glide to those of the next segment.
    const from = 2 * rate;
    const places = new Map([...vocodedKeys(plan)].map((key) => [key, anewFor(plan, from)]));
    const [long, anew] = await Promise.all(
      [plan, withVocodedAnew(plan, places)].map(async (one) => {
        const { left } = await renderStretch(one, 'p0', load, from, from + rate);
        return left;
      }),
    );
    const power = (sound: Float32Array, hz: number) => {
      let [re, im, whole] = [0, 0, 0];
      for (const [n, value] of sound.entries()) {
        re += value * Math.cos((2 * Math.PI * hz * n) / rate);
        im += value * Math.sin((2 * Math.PI * hz * n) / rate);
        whole += value * value;
      }
      return { tone: sqrt(re * re + im * im), whole };
    };
    const hz = 330 * 2 ** (30 / 1200);
    const [a, b] = [power(long, hz), power(anew, hz)];
    expect(abs(20 * log10(a.tone / b.tone))).toBeLessThan(0.05);
    expect(abs(10 * log10(a.whole / b.whole))).toBeLessThan(0.05);
    // Nothing but the phase is another one.
    expect(floor(1000 * abs(long[100] - anew[100]))).toBeGreaterThan(0);
  });
});
