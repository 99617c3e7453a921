import { afterEach, beforeEach, describe, expect, jest, test } from '@jest/globals';
import type { Command } from '@pannet/core/song/commands';
import { emptySong, songFormat } from '@pannet/core/song/song';
import { OpenSong } from '../session/open-song.ts';
import { SongSession } from '../sync/song-session.ts';
import { FakeWorker } from '../testing/fake-worker.ts';
import { recordingOf } from '../testing/song.fixture.ts';
import { shareOf } from './import-state.ts';
import { Imports } from './imports.ts';

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
  answer(status = 201, document: object = recordingOf(1)) {
    this.status = status;
    this.responseText = JSON.stringify(document);
    this.onload?.();
  }
  static of(name: string): FakeUpload {
    const found = FakeUpload.all.findLast((upload) => upload.name === name);
    if (!found) throw new Error(`${name} is not being sent.`);
    return found;
  }
}

/** Names of the files that are being looked at, in their order. */
const looking = () =>
  FakeWorker.all
    .filter(({ name }) => name === 'look.worker.ts')
    .map(({ posted }) => (posted[0] as { file: File }).file.name);

/** Says what was found in a file. */
async function found(name: string, n: number, channels: 1 | 2 = 1, rateHz = 48_000) {
  const worker = FakeWorker.all.find(
    (one) => one.name === 'look.worker.ts' && looking()[lookers().indexOf(one)] === name,
  );
  const value = { ...recordingOf(n, channels), rateHz, fileName: name };
  worker?.answer({ kind: 'answer', answer: { ok: true, value } });
  await idle();
}
const lookers = () => FakeWorker.all.filter(({ name }) => name === 'look.worker.ts');

let open: OpenSong;
let queue: Imports;
/** Names of the steps of each request that saves. */
let saved: string[][];
const before = globalThis.XMLHttpRequest;

/** @param left steps of an earlier visit */
function opened(left: readonly Command[] = []): OpenSong {
  const unsent = { key: 'k', format: songFormat, baseRevision: 0, commands: left };
  const song = emptySong('s', 'S');
  const session = new SongSession(
    's',
    { song, revision: 0, log: [], earlier: null, may: 'own' },
    null,
    left.length > 0 ? [unsent] : [],
  );
  return new OpenSong(session, undefined);
}

beforeEach(() => {
  FakeWorker.install();
  FakeUpload.all.length = 0;
  localStorage.clear();
  sessionStorage.clear();
  saved = [];
  let ids = 0;
  let revision = 0;
  Object.assign(globalThis.crypto, { randomUUID: () => `id-${ids++}` });
  Object.assign(globalThis, {
    XMLHttpRequest: FakeUpload,
    fetch: (path: string, init?: { body?: string }) => {
      if (!path.endsWith('/commands')) return new Promise(() => {});
      const { commands } = JSON.parse(init?.body ?? '{}') as { commands: { name: string }[] };
      saved.push(commands.map(({ name }) => name));
      revision += commands.length;
      return Promise.resolve({
        ok: true,
        status: 200,
        json: () => Promise.resolve({ revision }),
      });
    },
  });
  open = opened();
  queue = new Imports(open);
});
afterEach(async () => {
  jest.useRealTimers();
  open.close();
  queue.stop();
  await idle();
  Object.assign(globalThis, { XMLHttpRequest: before });
});

const idle = () => new Promise((resolve) => setTimeout(resolve, 5));
const names = () =>
  open.session.store.getState().song.partOrder.map((id) => open.keptPart(id)?.name);
const sentences = () => queue.store.getState().outcomes.map(({ sentence }) => sentence);

describe('files that are dropped', () => {
  test('a second drop joins the first: none is ended, all come, in their order', async () => {
    await queue.bring([wavOf('one.wav'), wavOf('two.wav')]);
    await idle();
    // The first decides the rate, alone.
    expect(looking()).toEqual(['one.wav']);
    await queue.bring([wavOf('three.wav'), wavOf('four.wav'), wavOf('five.wav')]);
    expect(queue.store.getState()).toMatchObject({ total: 5, waiting: 4 });
    await found('one.wav', 1);
    // Then several at once.
    expect(looking()).toEqual(['one.wav', 'two.wav', 'three.wav', 'four.wav']);
    // Whichever is there first, they come in the order in which they were dropped.
    await found('four.wav', 4);
    await found('three.wav', 3);
    expect(names()).toEqual(['one']);
    await found('two.wav', 2);
    await found('five.wav', 5);
    expect(names()).toEqual(['one', 'two', 'three', 'four', 'five']);
    for (const [n, name] of ['one', 'two', 'three', 'four', 'five'].entries()) {
      FakeUpload.of(`${name}.wav`).answer(201, recordingOf(n + 1));
      await idle();
    }
    expect(FakeUpload.all.some(({ aborted }) => aborted)).toBe(false);
    expect(queue.store.getState()).toMatchObject({ steps: [], waiting: 0, done: 5 });
    expect(shareOf(queue.store.getState())).toBe(1);
  });

  test('a part is there before it is sent; steps wait for what they stand on, and go when it is there', async () => {
    await queue.bring([wavOf('one.wav'), wavOf('two.wav')]);
    await idle();
    await found('one.wav', 1);
    await found('two.wav', 2);
    expect(names()).toEqual(['one', 'two']);
    open.session.do('rename', [
      {
        kind: 'set-part',
        partId: open.session.store.getState().song.partOrder[0],
        changes: { name: 'One' },
      },
    ]);
    await idle();
    expect(saved).toEqual([]);
    expect(open.session.store.getState().saving).toEqual({ kind: 'saving' });
    // Another one that is there does not pass the first.
    FakeUpload.of('two.wav').answer(201, recordingOf(2));
    await idle();
    expect(saved).toEqual([]);
    FakeUpload.of('one.wav').answer();
    await idle();
    expect(saved.flat()).toEqual(['import one.wav', 'import two.wav', 'rename']);
    expect(open.session.store.getState()).toMatchObject({ saving: { kind: 'saved' }, pending: [] });
  });

  test('stopping gives up what is under way and what waits, and says so of each', async () => {
    await queue.bring([wavOf('one.wav'), wavOf('two.wav')]);
    await idle();
    queue.stop();
    await idle();
    expect(sentences()).toEqual([
      '“one.wav” was stopped; nothing of it was kept.',
      '“two.wav” was stopped; nothing of it was kept.',
    ]);
    await queue.bring([wavOf('three.wav')]);
    await idle();
    await found('three.wav', 3);
    expect(names()).toEqual(['three']);
  });

  test('stopped while it is sent, a part leaves the song with what stands on it; other work stays', async () => {
    await queue.bring([wavOf('one.wav')]);
    await idle();
    await found('one.wav', 1);
    FakeUpload.of('one.wav').answer();
    await idle();
    await queue.bring([wavOf('two.wav')]);
    await idle();
    await found('two.wav', 2);
    const [one, two] = open.session.store.getState().song.partOrder;
    open.session.do('two is renamed', [
      { kind: 'set-part', partId: two, changes: { name: 'Two' } },
    ]);
    open.session.do('one is renamed', [
      { kind: 'set-part', partId: one, changes: { name: 'One' } },
    ]);
    queue.stop();
    await idle();
    expect(names()).toEqual(['One']);
    expect(sentences()).toEqual([
      '“two.wav” was stopped; nothing of it was kept. With it went: “two is renamed”.',
    ]);
    expect(saved.flat()).toEqual(['import one.wav', 'one is renamed']);
    expect(queue.store.getState()).toMatchObject({ steps: [], done: 1 });
  });

  test('taken back while it is sent, and then stopped, nothing is said to be lost with it', async () => {
    await queue.bring([wavOf('one.wav')]);
    await idle();
    await found('one.wav', 1);
    open.session.undo();
    queue.stop();
    await idle();
    expect(names()).toEqual([]);
    expect(sentences()).toEqual(['“one.wav” was stopped; nothing of it was kept.']);
    expect(saved).toEqual([]);
    expect(open.session.store.getState()).toMatchObject({ pending: [] });
  });

  test('a server that is gone, or full, is tried again, and why is said; what it will not have leaves the song', async () => {
    await queue.bring([wavOf('one.wav'), wavOf('two.wav')]);
    await idle();
    await found('one.wav', 1);
    await found('two.wav', 2);
    jest.useFakeTimers();
    FakeUpload.of('one.wav').onerror?.();
    await jest.advanceTimersByTimeAsync(10);
    expect(queue.store.getState().steps.find(({ because }) => because)?.because).toBe(
      'The server does not answer.',
    );
    await jest.advanceTimersByTimeAsync(1000);
    FakeUpload.of('one.wav').answer(507, { detail: 'The disk is full.' });
    await jest.advanceTimersByTimeAsync(10);
    expect(queue.store.getState().steps.find(({ because }) => because)?.because).toBe(
      'The disk is full.',
    );
    await jest.advanceTimersByTimeAsync(2000);
    expect(FakeUpload.all.filter(({ name }) => name === 'one.wav')).toHaveLength(3);
    FakeUpload.of('two.wav').answer(422, { detail: 'It is broken.' });
    FakeUpload.of('one.wav').answer();
    await jest.advanceTimersByTimeAsync(10);
    expect(names()).toEqual(['one']);
    expect(sentences().at(-1)).toBe(
      '“two.wav” could not be kept, and is gone from the song: It is broken.',
    );
    expect(saved.flat()).toEqual(['import one.wav']);
  });

  test('a file that was changed or moved while it was sent leaves the song, and that is said', async () => {
    const [one, two] = [wavOf('one.wav'), wavOf('two.wav')];
    await queue.bring([one, two]);
    await idle();
    await found('one.wav', 1);
    await found('two.wav', 2);
    FakeUpload.of('one.wav').answer(201, recordingOf(9));
    const gone = () => ({ arrayBuffer: () => Promise.reject(new Error('NotReadableError')) });
    Object.assign(two, { slice: gone });
    FakeUpload.of('two.wav').onerror?.();
    await idle();
    expect(names()).toEqual([]);
    expect(sentences().toSorted()).toEqual(
      ['one', 'two'].map(
        (name) =>
          `“${name}.wav” could not be kept, and is gone from the song: it was changed or moved while it was sent.`,
      ),
    );
  });

  test('what is sure finds its place at once; the rest is asked when all of the drop is there, and is one step', async () => {
    await queue.bring(
      ['hum.wav', 'harp 1.wav', 'harp 2.wav', 'room.wav', 'hall.wav'].map((name) => wavOf(name)),
    );
    await idle();
    for (const [n, name] of ['hum', 'harp 1', 'harp 2', 'room', 'hall'].entries())
      await found(`${name}.wav`, n, n > 2 ? 2 : 1);
    expect(names()).toEqual(['hum']);
    const { asked } = queue.store.getState();
    expect(asked.map(({ choices }) => choices[0])).toEqual(['takes', 'pair', 'pair']);
    queue.answer(['takes', 'pair', 'bed']);
    expect(names()).toEqual(['hum', 'harp', 'room']);
    const { song } = open.session.store.getState();
    expect(song.bed?.recording).toBe(recordingOf(4, 2).hash);
    expect(queue.store.getState()).toMatchObject({ asked: [] });
    expect(queue.store.getState().outcomes).toHaveLength(4);
    expect(queue.store.getState().outcomes.every(({ taken }) => taken)).toBe(true);
    open.session.undo();
    expect(names()).toEqual(['hum']);
  });

  test('what is asked about and stopped is not asked about any more', async () => {
    await queue.bring([wavOf('room.wav')]);
    await idle();
    await found('room.wav', 1, 2);
    expect(queue.store.getState().asked).toHaveLength(1);
    queue.stop();
    await idle();
    expect(queue.store.getState()).toMatchObject({ asked: [], steps: [], done: 1 });
    expect(sentences()).toEqual(['“room.wav” was stopped; nothing of it was kept.']);
  });

  test('a rough mix beside mono files asks nothing', async () => {
    await queue.bring(['mix.wav', 'hum.wav'].map((name) => wavOf(name)));
    await idle();
    await found('mix.wav', 1, 2);
    expect(open.session.store.getState().song.bed).toBeNull();
    await found('hum.wav', 2);
    expect(names()).toEqual(['hum']);
    expect(open.session.store.getState().song.bed?.recording).toBe(recordingOf(1, 2).hash);
    expect(queue.store.getState().asked).toEqual([]);
  });

  test('the first file decides the rate, though it waits for an answer; a reload names what waited', async () => {
    await queue.bring([wavOf('room.wav', 44_100), wavOf('hum.wav', 48_000)]);
    await idle();
    await found('room.wav', 1, 2, 44_100);
    FakeUpload.of('room.wav').answer();
    await idle();
    // The second one is converted to the first one's rate, and not looked at as it is.
    expect(looking()).toHaveLength(1);
    expect(FakeWorker.of('convert.worker.ts').posted).toMatchObject([{ rateHz: 44_100 }]);
    expect(new Imports(open).store.getState().outcomes.map(({ fileName }) => fileName)).toEqual([
      'room.wav',
      'hum.wav',
    ]);
  });

  test('a song that is left while its files are sent, and opened again, saves what waited when they are there', async () => {
    await queue.bring([wavOf('one.wav')]);
    await idle();
    await found('one.wav', 1);
    const left = open.session.store.getState().pending.map(({ inverse: _, ...step }) => step);
    open.close();
    await idle();
    expect(FakeUpload.of('one.wav').aborted).toBe(false);
    open = opened(left);
    await idle();
    expect(saved).toEqual([]);
    expect(names()).toEqual(['one']);
    FakeUpload.of('one.wav').answer();
    await idle();
    expect(saved.flat()).toEqual(['import one.wav']);
  });

  test('after a reload the same file, dropped again, is sent, and what waited for it is saved; no second part', async () => {
    await queue.bring([wavOf('one.wav')]);
    await idle();
    await found('one.wav', 1);
    const left = open.session.store.getState().pending.map(({ inverse: _, ...step }) => step);
    // A page that is loaded anew has lost the file; what waited for it is kept.
    open.close();
    queue.stop();
    await idle();
    const { fetch } = globalThis;
    const refusing = {
      ok: false,
      status: 422,
      text: () => Promise.resolve('{"detail":"Unknown."}'),
    };
    Object.assign(globalThis, { fetch: () => Promise.resolve(refusing) });
    open = opened(left);
    await idle();
    expect(open.session.store.getState().saving.kind).toBe('refused');
    Object.assign(globalThis, { fetch });
    const again = new Imports(open);
    await again.bring([wavOf('one.wav')]);
    await idle();
    lookers()
      .at(-1)
      ?.answer({
        kind: 'answer',
        answer: { ok: true, value: { ...recordingOf(1), fileName: 'one.wav' } },
      });
    await idle();
    expect(names()).toEqual(['one']);
    FakeUpload.of('one.wav').answer();
    await idle();
    expect(saved.flat()).toEqual(['import one.wav']);
    expect(open.session.store.getState().saving.kind).toBe('saved');
  });
});
