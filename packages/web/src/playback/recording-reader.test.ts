import { beforeEach, describe, expect, jest, test } from '@jest/globals';
import { channelSource } from '@pannet/core/sources/blocks';
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
    replies = ['missing'];
    await expect(load(source(0), 0)).rejects.toThrow(
      'A recording of this song is not on the server.',
    );
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
    replies = ['whole', 'whole', 'missing'];
    await load(source(0), 0);
    await load(source(0), 2);
    await new Promise((resolve) => setTimeout(resolve, 0));
    expect(asked).toHaveLength(3);
    expect(await load(source(0), 3)).toHaveLength(100_000 - 3 * 32_768);
    expect(asked).toHaveLength(4);
  });
});
