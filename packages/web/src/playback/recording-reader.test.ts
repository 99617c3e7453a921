import { beforeEach, describe, expect, jest, test } from '@jest/globals';
import { channelSource } from '@pannet/core/sources/blocks';
import { keepHere } from '../api/files-here.ts';
import { recordingOf } from '../testing/song.fixture.ts';
import { RecordingReader } from './recording-reader.ts';

const recording = recordingOf(1, 2);
const file = new Uint8Array(recording.dataOffset + recording.frames * recording.bytesPerFrame);
const view = new DataView(file.buffer);
for (let n = 0; n < recording.frames; n++) {
  view.setInt16(44 + 4 * n, n % 1000, true);
  view.setInt16(46 + 4 * n, -(n % 1000), true);
}

type Reply = 'whole' | 'short' | 'gone' | 'missing' | 'busy' | 'refused' | 'waits';
let replies: Reply[];
/** The ranges of each request. */
let asked: { start: number; end: number }[][];

const source = (channel: number) => channelSource(recording, channel);

beforeEach(() => {
  replies = [];
  asked = [];
  Object.assign(globalThis, {
    fetch: (_: string, { body, cache }: { body: string; cache: string }) => {
      expect(cache).toBe('no-store');
      const { ranges } = JSON.parse(body) as { ranges: { start: number; end: number }[] };
      asked.push(ranges);
      const reply = replies.shift() ?? 'whole';
      if (reply === 'gone') return Promise.reject(new TypeError('Failed to fetch'));
      if (reply === 'missing') return Promise.resolve({ status: 404 });
      if (reply === 'refused') return Promise.resolve({ status: 403 });
      if (reply === 'waits') return Promise.resolve({ status: 429 });
      if (reply === 'busy') return Promise.resolve({ status: 503 });
      const whole = Buffer.concat(ranges.map(({ start, end }) => file.subarray(start, end)));
      const sent = Uint8Array.from(reply === 'short' ? whole.subarray(100) : whole);
      return Promise.resolve({ status: 200, arrayBuffer: () => Promise.resolve(sent.buffer) });
    },
  });
});

/** jsdom's own cannot be read. */
function blobOf(bytes: Uint8Array): Blob {
  const slice = (from: number, to: number) => ({
    arrayBuffer: () => Promise.resolve(bytes.slice(from, to).buffer),
  });
  return { slice } as unknown as Blob;
}

function reader(mostBytes = 1e7, ahead = 0): RecordingReader {
  const made = new RecordingReader(mostBytes, ahead);
  made.know({ [recording.hash]: recording });
  return made;
}

describe('a reader of recordings', () => {
  test('fetches a block once for both channels and decodes it', async () => {
    const { load } = reader();
    const [left, right] = await Promise.all([load(source(0), 1), load(source(1), 1)]);
    expect(left).toHaveLength(32_768);
    expect(left[5]).toBeCloseTo(((32_768 + 5) % 1000) / 32_768, 9);
    expect(right[5]).toBe(-left[5]);
    expect(asked).toMatchObject([[{ start: 44 + 32_768 * 4, end: 44 + 65_536 * 4 }]]);
  });

  test('sends what is asked for together in one request, and gives each its own', async () => {
    const { load } = reader();
    const blocks = await Promise.all([2, 0, 1].map((index) => load(source(0), index)));
    expect(asked).toHaveLength(1);
    [2, 0, 1].forEach((index, n) =>
      expect(blocks[n][9]).toBeCloseTo(((index * 32_768 + 9) % 1000) / 32_768, 9),
    );
  });

  test('the last block is as long as what is left', async () => {
    expect(await reader().load(source(0), 3)).toHaveLength(100_000 - 3 * 32_768);
  });

  test.each<Reply>(['short', 'gone', 'busy', 'waits'])(
    'asks again when the answer is %s',
    async (reply) => {
      jest.useFakeTimers();
      replies = [reply, reply, 'whole'];
      const block = reader().load(source(0), 0);
      await jest.advanceTimersByTimeAsync(1000);
      expect((await block).every(Number.isFinite)).toBe(true);
      expect(asked).toHaveLength(3);
      jest.useRealTimers();
    },
  );

  test('says when a recording is not there at all, and does not remember that', async () => {
    const { load } = reader();
    replies = ['missing', 'missing'];
    jest.useFakeTimers();
    const loaded = load(source(0), 0).catch((error: unknown) => error);
    await jest.advanceTimersByTimeAsync(3000);
    jest.useRealTimers();
    expect(await loaded).toEqual(new Error('A recording of this song is not on the server.'));
    expect(await load(source(0), 0)).toHaveLength(32_768);
  });

  test('what the server refuses is not asked for again, and is said', async () => {
    replies = ['refused'];
    await expect(reader().load(source(0), 0)).rejects.toThrow(/it answered 403/);
    expect(asked).toHaveLength(1);
  });

  test('a server that stays away is given up after two minutes, with ever longer pauses', async () => {
    jest.useFakeTimers();
    replies = Array.from({ length: 500 }, () => 'gone');
    const block = reader().load(source(0), 0);
    const given = expect(block).rejects.toThrow(/two minutes/);
    await jest.advanceTimersByTimeAsync(130_000);
    await given;
    expect(asked.length).toBeLessThan(40);
    jest.useRealTimers();
  });

  test('keeps within its bound, the ones used last', async () => {
    const bytes = 32_768 * 4 * 2;
    const { load } = reader(2 * bytes);
    for (const index of [0, 1, 0, 2, 0]) await load(source(0), index);
    expect(asked).toHaveLength(3);
    await load(source(0), 1);
    expect(asked).toHaveLength(4);
  });

  test('reads ahead, so that who reads a take through seldom waits', async () => {
    const { load } = reader(1e7, 2);
    for (const index of [0, 1, 2, 3]) {
      const block = await load(source(0), index);
      expect(block[7]).toBeCloseTo(((index * 32_768 + 7) % 1000) / 32_768, 9);
    }
    // The first by itself, then the two after it, then the last, which was under way before it was wanted.
    expect(asked.map((ranges) => ranges.length)).toEqual([1, 2, 1]);
  });

  test('a block that is read ahead and fails is asked for again when it is wanted', async () => {
    const { load } = reader(1e7, 2);
    replies = ['whole', 'whole', 'missing', 'missing'];
    await load(source(0), 0);
    jest.useFakeTimers();
    await load(source(0), 2);
    // It is looked for here as well.
    await jest.advanceTimersByTimeAsync(3000);
    jest.useRealTimers();
    // Once more, since it may have come to the server meanwhile.
    expect(asked).toHaveLength(4);
    expect(await load(source(0), 3)).toHaveLength(100_000 - 3 * 32_768);
    expect(asked).toHaveLength(5);
  });

  test('what the server does not have yet is read from its file, beside what it has, and then from the server', async () => {
    const unsent = { ...recording, hash: 'f'.repeat(64) };
    const made = reader();
    made.know([unsent]);
    const other = new BroadcastChannel('pannet.files-here');
    other.onmessage = ({ data }: MessageEvent<{ kind: string; hash: string }>) => {
      if (data.kind === 'wanted' && data.hash === unsent.hash)
        other.postMessage({ kind: 'here', hash: data.hash, file: blobOf(file) });
    };
    // The server says no to both, and then to the one alone.
    replies = ['missing', 'whole', 'missing'];
    const [kept, local] = await Promise.all([
      made.load(source(0), 1),
      made.load(channelSource(unsent, 1), 1),
    ]);
    expect(kept[5]).toBeCloseTo(((32_768 + 5) % 1000) / 32_768, 9);
    expect(local[5]).toBe(-kept[5]);
    expect(asked).toHaveLength(3);
    // It is known now: the server is not asked.
    await made.load(channelSource(unsent, 0), 2);
    expect(asked).toHaveLength(3);
    other.postMessage({ kind: 'sent', hash: unsent.hash });
    await Promise.resolve();
    await made.load(channelSource(unsent, 0), 0);
    expect(asked).toHaveLength(4);
    other.close();
  });

  test('what came to the server just after it was asked is asked for again, and nobody waits', async () => {
    const unsent = { ...recording, hash: 'd'.repeat(64) };
    const made = reader();
    made.know([unsent]);
    const other = new BroadcastChannel('pannet.files-here');
    const heard: unknown[] = [];
    other.onmessage = ({ data }: MessageEvent<{ kind: string; hash: string }>) => {
      heard.push(data);
      if (data.kind === 'wanted') other.postMessage({ kind: 'sent', hash: data.hash });
    };
    replies = ['missing', 'whole', 'missing', 'missing'];
    const began = performance.now();
    expect(await made.load(channelSource(unsent, 0), 0)).toHaveLength(32_768);
    expect(asked).toHaveLength(2);
    // What was given up, or is gone from there, too, is said after the second time.
    await expect(made.load(channelSource(unsent, 0), 1)).rejects.toThrow(/not on the server/);
    expect(asked).toHaveLength(4);
    // A page that has sent one says so to whoever asks too late.
    heard.length = 0;
    keepHere(unsent.hash, blobOf(file), Promise.resolve());
    const spoken = () => new Promise((resolve) => setTimeout(resolve));
    await spoken();
    other.postMessage({ kind: 'wanted', hash: unsent.hash });
    await spoken();
    expect(heard).toEqual([
      { kind: 'sent', hash: unsent.hash },
      { kind: 'sent', hash: unsent.hash },
    ]);
    // Another page may have it all the same: it is not that one that is asked.
    other.onmessage = ({ data }: MessageEvent<{ kind: string; hash: string }>) => {
      other.postMessage({ kind: 'sent', hash: data.hash });
      other.postMessage({ kind: 'here', hash: data.hash, file: blobOf(file) });
    };
    replies = ['missing'];
    expect(await made.load(channelSource(unsent, 0), 2)).toHaveLength(32_768);
    expect(asked).toHaveLength(5);
    // An answer is waited for for three seconds: here nobody had to.
    expect(performance.now() - began).toBeLessThan(3000);
    other.close();
  });

  test('a file that can no longer be read where it was is asked for from the server', async () => {
    const unsent = { ...recording, hash: 'e'.repeat(64) };
    const made = reader();
    made.know([unsent]);
    let gone = false;
    const whole = blobOf(file);
    const moved = {
      slice: (from: number, to: number) =>
        gone ? { arrayBuffer: () => Promise.reject(new Error('gone')) } : whole.slice(from, to),
    } as unknown as Blob;
    let sent = () => {};
    keepHere(unsent.hash, moved, new Promise<void>((resolve) => (sent = resolve)));
    await made.load(channelSource(unsent, 0), 0);
    expect(asked).toHaveLength(0);
    gone = true;
    expect(await made.load(channelSource(unsent, 0), 1)).toHaveLength(32_768);
    sent();
    await Promise.resolve();
    expect(await made.load(channelSource(unsent, 0), 2)).toHaveLength(32_768);
  });
});
