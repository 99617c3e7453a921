import { afterEach, beforeEach, describe, expect, test } from '@jest/globals';
import { twoParts } from '../testing/song.fixture.ts';
import { FakeWorker } from '../testing/fake-worker.ts';
import { AudioHost } from './audio-host.ts';
import { Playback } from './playback.ts';

class FakeContext {
  static readonly all: FakeContext[] = [];
  static refuse: 'module' | 'resume' | null = null;
  readonly rateHz: number;
  closed = false;
  destination = {};
  resumed = 0;
  settle: () => void = () => {};
  readonly audioWorklet = {
    addModule: () =>
      FakeContext.refuse === 'module'
        ? Promise.reject(new Error('no worklets here'))
        : new Promise<void>((resolve) => (this.settle = resolve)),
  };
  constructor({ sampleRate }: { sampleRate: number }) {
    this.rateHz = sampleRate;
    FakeContext.all.push(this);
  }
  resume(): Promise<void> {
    this.resumed++;
    return FakeContext.refuse === 'resume'
      ? Promise.reject(new Error('not allowed'))
      : Promise.resolve();
  }
  close(): Promise<void> {
    this.closed = true;
    return Promise.resolve();
  }
}

class FakeNode {
  static readonly all: FakeNode[] = [];
  readonly posted: { kind: string }[] = [];
  readonly port = {
    postMessage: (message: { kind: string }) => this.posted.push(message),
    onmessage: null,
  };
  constructor() {
    FakeNode.all.push(this);
  }
  connect() {}
  disconnect() {}
}

class FakeChannel {
  readonly port1 = {};
  readonly port2 = {};
}

const before = { AudioContext: globalThis.AudioContext, MessageChannel: globalThis.MessageChannel };
beforeEach(() => {
  FakeWorker.install();
  FakeContext.all.length = 0;
  FakeNode.all.length = 0;
  FakeContext.refuse = null;
  Object.assign(globalThis, {
    AudioContext: FakeContext,
    AudioWorkletNode: FakeNode,
    MessageChannel: FakeChannel,
  });
});
afterEach(() => {
  Object.assign(globalThis, before);
});

const idle = () => new Promise((resolve) => setTimeout(resolve, 0));
const contexts = () => FakeContext.all;

describe('an audio host', () => {
  test('opens, waits for a press, runs, and is closed for good', async () => {
    const host = new AudioHost(44_100, 'worklet.js');
    expect(host.state).toBe('opening');
    contexts()[0].settle();
    await host.node();
    expect(host.state).toBe('waiting');
    await host.resume();
    expect(host.state).toBe('running');
    host.close();
    await idle();
    expect(host.state).toBe('closed');
    expect(contexts()[0].closed).toBe(true);
    await expect(host.resume()).rejects.toThrow(/closed/);
  });

  test('that is closed while it opens leaves no context behind', async () => {
    const host = new AudioHost(48_000, 'worklet.js');
    host.close();
    contexts()[0].settle();
    await expect(host.node()).rejects.toThrow(/closed/);
    expect(contexts()[0].closed).toBe(true);
    expect(FakeNode.all).toHaveLength(0);
  });

  test('that gets no worklet says so and closes', async () => {
    FakeContext.refuse = 'module';
    const host = new AudioHost(48_000, 'worklet.js');
    await expect(host.resume()).rejects.toThrow('no worklets here');
    expect(host.state).toBe('closed');
    expect(contexts()[0].closed).toBe(true);
  });
});

describe('playing', () => {
  const at = (rateHz: number | null) => ({ ...twoParts(), rateHz });

  test('an empty song opens no output: the first file decides the rate', async () => {
    const playback = new Playback();
    playback.setSong({ ...twoParts(), rateHz: null, parts: {}, partOrder: [], recordings: {} });
    await playback.play();
    expect(contexts()).toHaveLength(0);
    playback.setSong(at(44_100));
    const playing = playback.play();
    contexts()[0].settle();
    await playing;
    expect(contexts().map(({ rateHz }) => rateHz)).toEqual([44_100]);
    expect(FakeNode.all[0].posted.map(({ kind }) => kind)).toEqual(
      expect.arrayContaining(['feeder', 'splicer', 'plan', 'play']),
    );
    playback.close();
  });

  test('a song of another rate never plays in the output of before', async () => {
    const playback = new Playback();
    playback.setSong(at(48_000));
    const first = playback.play();
    contexts()[0].settle();
    await first;
    playback.setSong(at(44_100));
    expect(contexts()[0].closed).toBe(true);
    const second = playback.play();
    contexts()[1].settle();
    await second;
    expect(contexts()[1].rateHz).toBe(44_100);
    playback.close();
  });

  test('a state and what makes it as loud as the others are told in one message, which nothing comes between', async () => {
    const playback = new Playback();
    playback.setSong(at(48_000));
    const playing = playback.play();
    contexts()[0].settle();
    await playing;
    const { posted } = FakeNode.all[0];
    posted.length = 0;
    const { parts, ...song } = at(48_000);
    const louder = { ...parts.harp, levelDb: -3 };
    playback.setSong({ ...song, parts: { ...parts, harp: louder } });
    playback.setSong({ ...song, parts: { ...parts, harp: { ...louder, levelDb: -6 } } });
    playback.listen({ image: { harp: 0.5 } });
    await idle();
    expect(posted).toMatchObject([{ kind: 'plan', monitoring: { image: { harp: 0.5 } } }]);
    // By itself it is told at once.
    playback.listen({ image: {} });
    expect(posted.map(({ kind }) => kind)).toEqual(['plan', 'monitoring']);
    playback.close();
  });

  test('what the browser refuses is said, and can be tried again', async () => {
    FakeContext.refuse = 'resume';
    const playback = new Playback();
    playback.setSong(at(48_000));
    const playing = playback.play();
    contexts()[0].settle();
    await playing;
    expect(playback.store.getState().failure).toMatch(/gave no audio output: not allowed.*again/);
    FakeContext.refuse = null;
    const again = playback.play();
    contexts()[1].settle();
    await again;
    expect(playback.store.getState().failure).toBeNull();
    playback.close();
  });

  test('a worker that ends is said', () => {
    const playback = new Playback();
    FakeWorker.of('feeder.worker.ts').onerror?.({ message: 'out of memory' });
    expect(playback.store.getState().failure).toMatch(/out of memory/);
    playback.close();
  });

  test('a voice that is heard alone changes what is heard, and no prediction', () => {
    const playback = new Playback();
    playback.setSong(at(48_000));
    const plan = playback.plan;
    playback.soloVoice('harp', 'v1');
    expect(playback.plan?.parts).toEqual(plan?.parts);
    playback.close();
  });
});
