import { afterEach, beforeEach, describe, expect, jest, test } from '@jest/globals';
import type { Command } from '@pannet/core/song/commands';
import { emptySong, songFormat, type Song } from '@pannet/core/song/song';
import { FakeServer } from '../testing/fake-server.ts';
import { SongSession } from './song-session.ts';
import { UnsentSteps } from './unsent.ts';

let server: FakeServer;
let sessions: SongSession[];

beforeEach(() => {
  jest.useFakeTimers();
  localStorage.clear();
  sessionStorage.clear();
  server = new FakeServer();
  sessions = [];
  let ids = 0;
  Object.assign(globalThis, { fetch: server.fetch });
  Object.assign(globalThis.crypto, { randomUUID: () => `id-${ids++}-${performance.now()}` });
});
afterEach(() => {
  for (const session of sessions) session.close();
  jest.restoreAllMocks();
  jest.useRealTimers();
});

const settle = (ms = 0) => jest.advanceTimersByTimeAsync(ms);
const title = (text: string) => [{ kind: 'set-title', title: text }] as const;
const state = (opened: SongSession) => opened.store.getState();

async function open(): Promise<SongSession> {
  const session = await SongSession.open('s');
  sessions.push(session);
  await settle();
  return session;
}

/** Opens a song as a window of this id does, with what windows of before left. */
async function openAs(windowId: string): Promise<SongSession> {
  const unsent = new UnsentSteps('s', windowId);
  const left = await unsent.left();
  const opened = {
    song: server.song,
    revision: server.log.length,
    log: server.log,
    earlier: null,
    may: 'own' as const,
  };
  const session = new SongSession('s', opened, unsent, left);
  sessions.push(session);
  await settle();
  return session;
}

/** A browser in which these windows are open. */
function openWindows(...ids: string[]): void {
  const locks = {
    query: () => Promise.resolve({ held: ids.map((id) => ({ name: `pannet.window.${id}` })) }),
    request: () => Promise.reject(new DOMException('Held.', 'AbortError')),
  };
  Object.defineProperty(navigator, 'locks', { value: locks, configurable: true });
}
afterEach(() => {
  Object.defineProperty(navigator, 'locks', { value: undefined, configurable: true });
});

const command = (name: string, id: string, text = name): Command => ({
  id,
  name,
  role: 'do',
  edits: title(text),
});

describe('a browser that keeps nothing', () => {
  test.each<[string, () => unknown]>([
    [
      'has no more room',
      () => {
        throw new DOMException('Full.', 'QuotaExceededError');
      },
    ],
    [
      'forbids it',
      () => {
        throw new DOMException('No.', 'SecurityError');
      },
    ],
  ])('because it %s: work is sent all the same, and what is shown is true', async (_, refuse) => {
    jest.spyOn(Storage.prototype, 'setItem').mockImplementation(refuse as () => void);
    const opened = await open();
    server.wire = 'down';
    expect(opened.do('title: A', title('A')).ok).toBe(true);
    await settle();
    expect(state(opened)).toMatchObject({ saving: { kind: 'lost' }, kept: 'none' });
    server.wire = 'up';
    await settle(1500);
    expect(server.song.title).toBe('A');
    expect(state(opened)).toMatchObject({
      saving: { kind: 'saved' },
      kept: 'durable',
      pending: [],
    });
  });
});

describe('windows', () => {
  test('the saving of one never wipes what another keeps', async () => {
    openWindows('a', 'b');
    const first = await openAs('a');
    server.wire = 'down';
    first.do('title: A', title('A'));
    await settle();
    const kept = localStorage.getItem('pannet.unsent.s.a');
    expect(kept).toMatch(/title: A/);
    server.wire = 'up';
    const second = await openAs('b');
    // What an open window keeps is its own to send.
    expect(state(second).song.title).toBe('Song');
    second.do('title: B', title('B'));
    await settle();
    expect(state(second).saving.kind).toBe('saved');
    expect(localStorage.getItem('pannet.unsent.s.a')).toBe(kept);
  });

  test('an answer that was lost, and another window after it: nothing of theirs is overwritten', async () => {
    const mine = await open();
    server.wire = 'answer lost';
    mine.do('title: Mine', title('Mine'));
    await settle();
    server.take(command('title: Theirs', 'theirs', 'Theirs'));
    server.wire = 'up';
    mine.do('title: Mine again', title('Mine again'));
    await settle(1500);
    expect(server.song.title).toBe('Theirs');
    expect(state(mine).saving.kind).toBe('elsewhere');
    // What the server has of it does not wait any more.
    expect(state(mine).pending.map(({ name }) => name)).toEqual(['title: Mine again']);
  });

  test('what does not fit any more can go into a copy of the song as it was', async () => {
    const mine = await open();
    server.take(command('title: Theirs', 'theirs', 'Theirs'));
    mine.do('title: Mine', title('Mine'));
    await settle();
    expect(state(mine).saving.kind).toBe('elsewhere');
    const made = await mine.copyWithPending();
    expect(server.copies.get(made.songId)?.song.title).toBe('Mine');
    expect(made.lost).toEqual([]);
    expect(state(mine)).toMatchObject({ saving: { kind: 'saved' }, pending: [] });
    expect(state(mine).song.title).toBe('Theirs');
    expect(server.song.title).toBe('Theirs');
  });
});

describe('what an earlier visit could not send', () => {
  const keep = (windowId: string, baseRevision: number, ...commands: Command[]) => {
    const unsent = new UnsentSteps('s', windowId);
    unsent.keep(baseRevision, commands);
    unsent.close();
  };

  test('is sent by the next window, if it still fits', async () => {
    openWindows();
    keep('gone', 0, command('title: A', 'a'));
    const opened = await openAs('next');
    expect(server.song.title).toBe('title: A');
    expect(state(opened)).toMatchObject({ leftovers: [], saving: { kind: 'saved' } });
    expect(localStorage).toHaveLength(0);
  });

  test('is sent also where a part of it had arrived', async () => {
    openWindows();
    server.take(command('title: A', 'a'));
    keep('gone', 0, command('title: A', 'a'), command('title: B', 'b'));
    await openAs('next');
    expect(server.log.map(({ name }) => name)).toEqual(['title: A', 'title: B']);
  });

  test.each<[string, () => void]>([
    ['the song has changed since', () => keep('gone', 0, command('title: A', 'a'))],
    [
      'it is of another format',
      () =>
        localStorage.setItem(
          'pannet.unsent.s.gone',
          JSON.stringify({
            ...{ format: songFormat - 1, baseRevision: 1 },
            commands: [command('title: A', 'a')],
          }),
        ),
    ],
    [
      'an older version kept it without its base',
      () => localStorage.setItem('pannet.pending.s', JSON.stringify([command('title: A', 'a')])),
    ],
    [
      'it cannot be applied any more',
      () =>
        keep('gone', 1, {
          ...command('title: A', 'a'),
          edits: [{ kind: 'remove-part', partId: 'gone' }],
        }),
    ],
  ])('where %s it waits for a decision, over a reload too', async (_, left) => {
    openWindows();
    server.take(command('title: Theirs', 'theirs', 'Theirs'));
    left();
    for (const visit of ['one', 'two']) {
      const opened = await openAs(visit);
      expect(state(opened).leftovers.map(({ commands }) => commands[0].name)).toEqual(['title: A']);
      expect(state(opened).song.title).toBe('Theirs');
      opened.close();
    }
    expect(server.log).toHaveLength(1);
    const opened = await openAs('three');
    const [leftover] = state(opened).leftovers;
    opened.dropLeftover(leftover.key);
    expect(localStorage).toHaveLength(0);
    expect(state(await openAs('four')).leftovers).toEqual([]);
  });

  test('goes into a copy if that is wanted, and never comes back by itself', async () => {
    openWindows();
    server.take(command('title: Theirs', 'theirs', 'Theirs'));
    keep('gone', 0, command('title: A', 'a'), command('title: B', 'b'));
    const opened = await openAs('next');
    const made = await opened.copyWithLeftover(state(opened).leftovers[0]);
    expect(server.copies.get(made.songId)?.song.title).toBe('title: B');
    expect(server.copies.get(made.songId)?.log).toHaveLength(2);
    expect(server.song.title).toBe('Theirs');
    expect(state(opened).leftovers).toEqual([]);
    expect(state(await openAs('after')).leftovers).toEqual([]);
  });
});

describe('a step that cannot be kept', () => {
  /** The server refuses, or fails on, any request with a step of this name. */
  const failsOn = (name: string, status: number) => {
    server.says = ({ body }) => {
      const { commands = [] } = (body ?? {}) as { commands?: Command[] };
      const at = commands.findIndex((each) => each.name === name);
      if (at < 0) return null;
      const place = { place: `commands[${at}].name` };
      return { status, body: { detail: 'No.', code: 'bad', ...(status === 400 ? place : {}) } };
    };
  };

  test.each([400, 500])(
    'with %i is named and can be set aside; what stood before and after it is saved',
    async (status) => {
      const opened = await open();
      server.wire = 'down';
      for (const name of ['One', 'Two', 'Bad', 'Four']) opened.do(name, title(name));
      await settle();
      failsOn('Bad', status);
      server.wire = 'up';
      await settle(40_000);
      const { saving } = state(opened);
      expect(saving).toMatchObject({ kind: 'refused', step: { name: 'Bad' } });
      expect(opened.setAside()).toEqual([]);
      await settle(2000);
      expect(server.log.map(({ name }) => name)).toEqual(['One', 'Two', 'Four']);
      expect(state(opened).saving.kind).toBe('saved');
      expect(state(opened).song.title).toBe('Four');
      expect(state(opened).history.undo.map(({ name }) => name)).toEqual(['One', 'Two', 'Four']);
    },
  );

  test('a failure that passes is waited out', async () => {
    const opened = await open();
    let failures = 2;
    server.says = ({ method }) =>
      method === 'POST' && failures-- > 0 ? { status: 500, body: { detail: 'Oops.' } } : null;
    opened.do('One', title('One'));
    await settle(5000);
    expect(server.song.title).toBe('One');
    expect(state(opened).saving.kind).toBe('saved');
  });

  test('being asked too often is waited out, as long as the server says', async () => {
    const opened = await open();
    server.says = ({ method }) => (method === 'POST' ? { status: 429 } : null);
    opened.do('One', title('One'));
    await settle();
    const asked = server.asked.length;
    server.says = () => null;
    await settle(6000);
    expect(server.asked).toHaveLength(asked);
    await settle(1500);
    expect(server.song.title).toBe('One');
  });

  test('a full disk is said in its sentence and waited out', async () => {
    const opened = await open();
    const body = { detail: 'The disk of the server is full.', code: 'disk-full' };
    server.says = ({ method }) => (method === 'POST' ? { status: 507, body } : null);
    opened.do('One', title('One'));
    await settle();
    expect(state(opened).saving).toEqual({ kind: 'lost', because: body.detail });
    server.says = () => null;
    await settle(11_000);
    expect(server.song.title).toBe('One');
    expect(state(opened).saving.kind).toBe('saved');
  });

  test.each([403, 404])(
    '%i is no fault of a step: none is offered to be set aside',
    async (status) => {
      const opened = await open();
      server.says = ({ method }) =>
        method === 'POST' ? { status, body: { detail: 'No.' } } : null;
      opened.do('One', title('One'));
      await settle();
      expect(state(opened).saving).toMatchObject({ kind: 'refused', step: null });
    },
  );

  test('an ended session loses nothing', async () => {
    const opened = await open();
    server.says = ({ method }) => (method === 'POST' ? { status: 401 } : null);
    opened.do('One', title('One'));
    await settle(5000);
    expect(state(opened).saving.kind).toBe('signed-out');
    server.says = () => null;
    opened.resume();
    await settle();
    expect(server.song.title).toBe('One');
  });

  test('an answer that is none is not taken for “saved”', async () => {
    const opened = await open();
    server.says = ({ method }) => (method === 'POST' ? { status: 200, body: {} } : null);
    opened.do('One', title('One'));
    await settle();
    expect(state(opened).saving.kind).toBe('lost');
    server.says = () => null;
    await settle(1500);
    expect(server.song.title).toBe('One');
  });
});

describe('what is sent fits into a request', () => {
  test('megabytes of edits go in batches, and fewer at once where the server asks for it', async () => {
    const opened = await open();
    server.wire = 'down';
    const long = Array.from({ length: 400 }, (_, n) => title(`${n} ${'x'.repeat(100)}`)).flat();
    for (let n = 0; n < 250; n++) opened.do(`step ${n}`, long);
    await settle();
    server.says = ({ body }) => {
      const { commands = [] } = (body ?? {}) as { commands?: Command[] };
      return commands.length > 30 ? { status: 413, body: { code: 'too-much-work' } } : null;
    };
    server.wire = 'up';
    await settle(3000);
    expect(server.log).toHaveLength(250);
    expect(Math.max(...server.asked.map(({ bytes }) => bytes))).toBeLessThan(5_000_000);
    expect(state(opened).saving.kind).toBe('saved');
  });

  test('a step that could never be sent is not begun', async () => {
    const opened = await open();
    const huge = Array.from(
      { length: 400 },
      () => ({ kind: 'set-title', title: 'é'.repeat(6000) }) as const,
    );
    const done = opened.do('huge', huge);
    expect(done.ok ? '' : done.error.sentence).toMatch(/too much for one step/);
    expect(state(opened).pending).toEqual([]);
  });
});

test('steps from before what an opened song tells can be taken back', async () => {
  for (let n = 0; n < 60; n++) server.take(command(`step ${n}`, `c${n}`));
  server.page = 15;
  const opened = await open();
  await settle();
  for (let n = 0; n < 60; n++) {
    opened.undo();
    await settle(5);
  }
  expect(server.song.title).toBe('Song');
  expect(state(opened).history.undo).toEqual([]);
  expect(state(opened).history.redo).toHaveLength(60);
});

test('a song that one may only read is not changed', () => {
  const song: Song = emptySong('s', 'Song');
  const reader = new SongSession('s', { song, revision: 0, log: [], earlier: null, may: 'read' });
  sessions.push(reader);
  const done = reader.do('title: A', title('A'));
  expect(done.ok ? '' : done.error.sentence).toMatch(/shared with you to read/);
  expect(reader.store.getState().song).toBe(song);
});
