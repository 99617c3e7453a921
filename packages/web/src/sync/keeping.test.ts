import 'fake-indexeddb/auto';
import { afterEach, beforeEach, describe, expect, jest, test } from '@jest/globals';
import type { Command } from '@pannet/core/song/commands';
import { FakeServer } from '../testing/fake-server.ts';
import { DurableStore, durableStore } from './durable-store.ts';
import { SongSession } from './song-session.ts';
import { UnsentSteps } from './unsent.ts';

let server: FakeServer;
let sessions: SongSession[];

beforeEach(async () => {
  localStorage.clear();
  sessionStorage.clear();
  for (const key of (await durableStore.entries('')).keys()) await durableStore.drop(key);
  server = new FakeServer();
  sessions = [];
  let ids = 0;
  Object.assign(globalThis, { fetch: server.fetch });
  Object.assign(globalThis.crypto, { randomUUID: () => `id-${ids++}-${performance.now()}` });
});
afterEach(() => {
  for (const session of sessions) session.close();
  jest.restoreAllMocks();
});

const wait = (ms = 50) => new Promise((next) => setTimeout(next, ms));
const until = async (is: () => boolean) => {
  for (const end = Date.now() + 20_000; !is() && Date.now() < end;) await wait(10);
  expect(is()).toBe(true);
};
const title = (text: string) => [{ kind: 'set-title', title: text }] as const;
const state = (opened: SongSession) => opened.store.getState();
async function open(): Promise<SongSession> {
  const session = await SongSession.open('s');
  sessions.push(session);
  await wait();
  return session;
}

describe('what waits', () => {
  test('is called durable only when it is on the disk, and survives the loss of all else', async () => {
    const opened = await open();
    server.wire = 'down';
    opened.do('title: A', title('A'));
    expect(state(opened).kept).toBe('pending');
    await until(() => state(opened).kept === 'durable');
    // A killed browser has not written the rest yet.
    opened.close();
    localStorage.clear();
    server.wire = 'up';
    expect(state(await open()).song.title).toBe('A');
    await until(() => server.song.title === 'A');
    expect((await durableStore.entries('pannet.unsent.')).size).toBe(0);
  });

  test('is taken in its newest state, whichever store has that', async () => {
    const command = (name: string): Command => ({ id: name, name, role: 'do', edits: title(name) });
    const unsent = new UnsentSteps('s', 'w', 'one');
    await unsent.keep(0, [command('A')]).durably;
    jest.spyOn(durableStore, 'keep').mockResolvedValue(false);
    await wait(5);
    unsent.keep(0, [command('A'), command('B')]);
    unsent.close();
    const [left] = await new UnsentSteps('s', 'w', 'two').left();
    expect(left.commands.map(({ name }) => name)).toEqual(['A', 'B']);
  });

  test('of one account is never sent by another, and is there when that one is back', async () => {
    server.account = 'berta';
    const bertas = await open();
    server.wire = 'down';
    bertas.do('title: Bertas', title('Bertas'));
    await until(() => state(bertas).kept === 'durable');
    bertas.close();
    Object.assign(server, { wire: 'up', account: 'carl' });
    const carls = await open();
    expect(carls.account).toBe('carl');
    expect(state(carls)).toMatchObject({ pending: [], leftovers: [] });
    expect(server.song.title).toBe('Song');
    carls.close();
    server.account = 'berta';
    await open();
    await until(() => server.song.title === 'Bertas');
  });

  test('stays where it is when there is no room to set it aside', async () => {
    const left = new UnsentSteps('s', 'gone');
    await left.keep(7, [{ id: 'a', name: 'A', role: 'do', edits: title('A') }]).durably;
    left.close();
    jest.spyOn(Storage.prototype, 'setItem').mockImplementation(() => {
      throw new DOMException('Full.', 'QuotaExceededError');
    });
    jest.spyOn(durableStore, 'keep').mockResolvedValue(false);
    Object.defineProperty(navigator, 'locks', {
      value: {
        query: () => Promise.resolve({ held: [] }),
        request: () => Promise.reject(new Error()),
      },
      configurable: true,
    });
    try {
      const opened = await open();
      await until(() => state(opened).leftovers.length === 1);
      opened.close();
      // Nothing was dropped for it.
      expect(localStorage.getItem('pannet.unsent.s.gone')).toMatch(/"A"/);
      expect(state(await open()).leftovers).toHaveLength(1);
    } finally {
      Object.defineProperty(navigator, 'locks', { value: undefined, configurable: true });
    }
  });
});

describe('a session that was left while an answer is on its way', () => {
  test('takes nothing away from the one that came after it', async () => {
    const first = await open();
    let answer: () => void = () => {};
    const held = new Promise<void>((resolve) => (answer = resolve));
    const { fetch: direct } = server;
    Object.assign(globalThis, {
      fetch: async (path: string, asked: { method: string; body?: string }) => {
        const told = await direct(path, asked);
        if (path.endsWith('/commands')) await held;
        return told;
      },
    });
    first.do('title: First', title('First'));
    await wait();
    first.close();
    Object.assign(globalThis, { fetch: direct });
    const second = await open();
    expect(state(second).song.title).toBe('First');
    await until(() => state(second).saving.kind === 'saved');
    server.wire = 'down';
    second.do('title: Second', title('Second'));
    await until(() => state(second).kept === 'durable');
    answer();
    await wait();
    second.close();
    server.wire = 'up';
    await open();
    await until(() => server.song.title === 'Second');
    expect(server.log.map(({ name }) => name)).toEqual(['title: First', 'title: Second']);
  });
});

test('steps that are taken while a copy is made go into it', async () => {
  const mine = await open();
  server.take({ id: 't', name: 'title: Theirs', role: 'do', edits: title('Theirs') });
  mine.do('title: Mine', title('Mine'));
  await until(() => state(mine).saving.kind === 'elsewhere');
  const making = mine.copyWithPending();
  mine.do('title: Meanwhile', title('Meanwhile'));
  const made = await making;
  expect(server.copies.get(made.songId)?.song.title).toBe('Meanwhile');
  expect(state(mine)).toMatchObject({ pending: [], saving: { kind: 'saved' } });
  expect(state(mine).song.title).toBe('Theirs');
});

test('an answer whose body breaks off is waited out, never taken for the end', async () => {
  const opened = await open();
  const { fetch: direct } = server;
  let broken = 0;
  Object.assign(globalThis, {
    fetch: (path: string, asked: { method: string; body?: string }) => {
      if (!path.endsWith('/commands') || broken++ > 0) return direct(path, asked);
      const breaks = () => Promise.reject(new TypeError('network error'));
      return Promise.resolve({
        ok: false,
        status: 422,
        headers: new Headers(),
        text: breaks,
        json: breaks,
      });
    },
  });
  opened.do('title: A', title('A'));
  await until(() => server.song.title === 'A');
  await until(() => state(opened).saving.kind === 'saved');
});

test('what another window does is seen here without doing anything', async () => {
  const opened = await open();
  server.take({ id: 't', name: 'title: Theirs', role: 'do', edits: title('Theirs') });
  await until(() => state(opened).song.title === 'Theirs');
  expect(state(opened).history.undo.map(({ name }) => name)).toEqual(['title: Theirs']);
  // A gesture is not torn away: it finds out when it is done.
  opened.preview(title('Half'));
  server.take({ id: 'u', name: 'title: Again', role: 'do', edits: title('Again') });
  await wait(3000);
  expect(state(opened).shown.title).toBe('Half');
  opened.endPreview();
  await until(() => state(opened).song.title === 'Again');
});

test('many writes of one key are one on the disk, in their order', async () => {
  const store = new DurableStore();
  const all = await Promise.all(
    Array.from({ length: 50 }, (_, n) => store.keep('pannet.unsent.x', `text ${n}`)),
  );
  expect(all.every(Boolean)).toBe(true);
  expect([...(await store.entries('pannet.unsent.'))]).toEqual([['pannet.unsent.x', 'text 49']]);
  void store.keep('pannet.unsent.x', 'late');
  await store.drop('pannet.unsent.x');
  expect((await store.entries('pannet.unsent.')).size).toBe(0);
});
