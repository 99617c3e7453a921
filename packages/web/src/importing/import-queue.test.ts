import { afterEach, beforeEach, describe, expect, jest, test } from '@jest/globals';
import { emptySong } from '@pannet/core/song/song';
import { OpenSong } from '../session/open-song.ts';
import { SongSession } from '../sync/song-session.ts';
import { FakeWorker } from '../testing/fake-worker.ts';
import { recordingOf } from '../testing/song.fixture.ts';
import { ImportQueue, shareOf } from './import-queue.ts';

/** A WAV file of some frames of silence, mono, 16 bits. */
function wavOf(name: string, rateHz = 48_000): File {
  const bytes = new DataView(new ArrayBuffer(44 + 200));
  const word = (at: number, text: string) =>
    [...text].forEach((letter, n) => bytes.setUint8(at + n, letter.charCodeAt(0)));
  word(0, 'RIFF');
  bytes.setUint32(4, 236, true);
  word(8, 'WAVEfmt ');
  bytes.setUint32(16, 16, true);
  bytes.setUint16(20, 1, true);
  bytes.setUint16(22, 1, true);
  bytes.setUint32(24, rateHz, true);
  bytes.setUint32(28, 2 * rateHz, true);
  bytes.setUint16(32, 2, true);
  bytes.setUint16(34, 16, true);
  word(36, 'data');
  bytes.setUint32(40, 200, true);
  const file = new File([bytes.buffer], name);
  // jsdom's slices cannot be read.
  Object.assign(file, {
    slice: (from: number, to: number) => ({
      arrayBuffer: () => Promise.resolve(bytes.buffer.slice(from, to)),
    }),
  });
  return file;
}

/** What is being uploaded: answered by the test. */
class FakeUpload {
  static readonly all: FakeUpload[] = [];
  readonly upload: {
    onprogress?: (event: { loaded: number; total: number }) => void;
    addEventListener(): void;
  } = {
    addEventListener: () => {},
  };
  onload: (() => void) | null = null;
  onerror: (() => void) | null = null;
  onabort: (() => void) | null = null;
  status = 0;
  responseText = '';
  aborted = false;
  name = '';
  open() {}
  setRequestHeader() {}
  addEventListener(kind: 'load' | 'error' | 'abort', run: () => void) {
    if (kind === 'load') this.onload = run;
    if (kind === 'error') this.onerror = run;
    if (kind === 'abort') this.onabort = run;
  }
  send(body: FormData | File) {
    const file = body instanceof FormData ? ([...body.values()][0] as File) : body;
    this.name = file.name;
    FakeUpload.all.push(this);
  }
  abort() {
    this.aborted = true;
    this.onabort?.();
  }
  answer(n: number, channels: 1 | 2 = 1, rateHz = 48_000) {
    this.status = 201;
    this.responseText = JSON.stringify({
      ...recordingOf(n, channels),
      rateHz,
      fileName: this.name,
    });
    this.onload?.();
  }
}

let open: OpenSong;
let queue: ImportQueue;
const before = globalThis.XMLHttpRequest;

beforeEach(() => {
  FakeWorker.install();
  FakeUpload.all.length = 0;
  localStorage.clear();
  let ids = 0;
  Object.assign(globalThis.crypto, { randomUUID: () => `id-${ids++}` });
  Object.assign(globalThis, { fetch: () => new Promise(() => {}), XMLHttpRequest: FakeUpload });
  open = new OpenSong(
    new SongSession('s', {
      song: emptySong('s', 'S'),
      revision: 0,
      log: [],
      earlier: null,
      may: 'own',
    }),
    undefined,
  );
  queue = new ImportQueue(open);
});
afterEach(() => {
  open.close();
  Object.assign(globalThis, { XMLHttpRequest: before });
  jest.useRealTimers();
});

const idle = () => new Promise((resolve) => setTimeout(resolve, 5));
const names = () =>
  open.session.store.getState().song.partOrder.map((id) => open.keptPart(id)?.name);

describe('files that are dropped', () => {
  test('a second drop joins the first: none is ended, all come, in their order', async () => {
    queue.bring([wavOf('one.wav'), wavOf('two.wav')]);
    await idle();
    // The first decides the rate, alone.
    expect(FakeUpload.all.map(({ name }) => name)).toEqual(['one.wav']);
    queue.bring([wavOf('three.wav'), wavOf('four.wav'), wavOf('five.wav')]);
    expect(queue.store.getState()).toMatchObject({ total: 5, waiting: 4 });
    FakeUpload.all[0].answer(1);
    await idle();
    // Then several at once.
    expect(FakeUpload.all.map(({ name }) => name)).toEqual([
      'one.wav',
      'two.wav',
      'three.wav',
      'four.wav',
    ]);
    // Whichever is there first, they come in the order in which they were dropped.
    FakeUpload.all[3].answer(4);
    FakeUpload.all[2].answer(3);
    await idle();
    expect(names()).toEqual(['one']);
    FakeUpload.all[1].answer(2);
    await idle();
    FakeUpload.all[4].answer(5);
    await idle();
    expect(names()).toEqual(['one', 'two', 'three', 'four', 'five']);
    expect(FakeUpload.all.some(({ aborted }) => aborted)).toBe(false);
    expect(queue.store.getState()).toMatchObject({ steps: [], waiting: 0 });
    expect(shareOf(queue.store.getState())).toBe(1);
  });

  test('stopping gives up what is under way and what waits, and says so of each', async () => {
    queue.bring([wavOf('one.wav'), wavOf('two.wav')]);
    await idle();
    queue.stop();
    await idle();
    expect(queue.store.getState().outcomes.map(({ sentence }) => sentence)).toEqual([
      '“one.wav” was stopped; nothing of it was kept.',
      '“two.wav” was stopped; nothing of it was kept.',
    ]);
    queue.bring([wavOf('three.wav')]);
    await idle();
    FakeUpload.all.at(-1)?.answer(3);
    await idle();
    expect(names()).toEqual(['three']);
  });

  test('what is sure finds its place at once; the rest is asked when all of the drop is there', async () => {
    queue.bring(
      ['hum.wav', 'harp 1.wav', 'harp 2.wav', 'room.wav', 'hall.wav'].map((name) => wavOf(name)),
    );
    await idle();
    for (let n = 0; n < 5; n++) {
      FakeUpload.all[n].answer(n, n > 2 ? 2 : 1);
      await idle();
    }
    expect(names()).toEqual(['hum']);
    expect(shareOf(queue.store.getState())).toBe(1);
    const { asked } = queue.store.getState();
    expect(asked.map(({ choices }) => choices[0])).toEqual(['takes', 'pair', 'pair']);
    queue.answer(['takes', 'pair', 'bed']);
    expect(names()).toEqual(['hum', 'harp', 'room']);
    const { song } = open.session.store.getState();
    expect(song.bed?.recording).toBe(recordingOf(4, 2).hash);
    expect(queue.store.getState()).toMatchObject({ asked: [], held: 0 });
    expect(queue.store.getState().outcomes).toHaveLength(4);
    expect(queue.store.getState().outcomes.every(({ taken }) => taken)).toBe(true);
  });

  test('a rough mix beside mono files asks nothing', async () => {
    queue.bring(['mix.wav', 'hum.wav'].map((name) => wavOf(name)));
    await idle();
    FakeUpload.all[0].answer(1, 2);
    await idle();
    expect(open.session.store.getState().song.bed).toBeNull();
    FakeUpload.all[1].answer(2);
    await idle();
    expect(names()).toEqual(['hum']);
    expect(open.session.store.getState().song.bed?.recording).toBe(recordingOf(1, 2).hash);
    expect(queue.store.getState().asked).toEqual([]);
  });

  test('the first file decides the rate, though it waits for an answer; a reload names what waited', async () => {
    queue.bring([wavOf('room.wav', 44_100), wavOf('hum.wav', 48_000)]);
    await idle();
    FakeUpload.all[0].answer(1, 2, 44_100);
    await idle();
    // The second one is converted to the first one's rate, and not sent as it is.
    expect(FakeUpload.all).toHaveLength(1);
    expect(FakeWorker.of('convert.worker.ts').posted).toMatchObject([{ rateHz: 44_100 }]);
    expect(new ImportQueue(open).store.getState().outcomes.map(({ fileName }) => fileName)).toEqual(
      ['room.wav', 'hum.wav'],
    );
  });
});
