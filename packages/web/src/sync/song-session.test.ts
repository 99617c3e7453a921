import { afterEach, beforeEach, describe, expect, jest, test } from '@jest/globals';
import type { Song } from '@pannet/core/song/song';
import { FakeServer } from '../testing/fake-server.ts';
import { SongSession } from './song-session.ts';

let server: FakeServer;
let session: SongSession | undefined;

beforeEach(() => {
  jest.useFakeTimers();
  localStorage.clear();
  server = new FakeServer();
  let ids = 0;
  Object.assign(globalThis, { fetch: server.fetch });
  Object.assign(globalThis.crypto, {
    randomUUID: () => `id-${ids++}-${Math.floor(performance.now())}`,
  });
});
afterEach(() => {
  session?.close();
  jest.useRealTimers();
});

const settle = (ms = 0) => jest.advanceTimersByTimeAsync(ms);
const title = (text: string) => [{ kind: 'set-title', title: text }] as const;
const state = (opened: SongSession) => opened.store.getState();

async function open(): Promise<SongSession> {
  session = await SongSession.open('s');
  await settle();
  return session;
}

describe('a song session', () => {
  test('shows a step at once and saves it', async () => {
    const opened = await open();
    expect(opened.do('title: A', title('A')).ok).toBe(true);
    expect(state(opened).song.title).toBe('A');
    await settle();
    expect(server.song.title).toBe('A');
    expect(state(opened)).toMatchObject({ pending: [], saving: { kind: 'saved' } });
  });

  test('a refused step changes nothing and says why', async () => {
    const opened = await open();
    const before = state(opened).song;
    const refused = opened.do('title', title(''));
    expect(refused.ok ? '' : refused.error.sentence).toMatch(/1 to 120 characters/);
    expect(state(opened).song).toBe(before);
    expect(state(opened).history.undo).toHaveLength(0);
  });

  test('undo and redo go to the server as steps of their own', async () => {
    const opened = await open();
    opened.do('title: A', title('A'));
    opened.undo();
    await settle();
    expect(server.song.title).toBe('Song');
    opened.redo();
    await settle();
    expect(server.song.title).toBe('A');
    expect(server.log.map(({ role }) => role)).toEqual(['do', 'undo', 'redo']);
  });

  test('work goes on without the server and is sent when it is back', async () => {
    const opened = await open();
    server.wire = 'down';
    opened.do('title: A', title('A'));
    await settle();
    opened.do('title: B', title('B'));
    await settle(1500);
    expect(state(opened).saving.kind).toBe('lost');
    expect(state(opened).pending).toHaveLength(2);
    server.wire = 'up';
    await settle(1500);
    expect(server.song.title).toBe('B');
    expect(server.log).toHaveLength(2);
    expect(state(opened).saving.kind).toBe('saved');
  });

  test('a step whose answer was lost is not applied twice', async () => {
    const opened = await open();
    server.wire = 'answer lost';
    opened.do('title: A', title('A'));
    await settle();
    server.wire = 'up';
    opened.do('title: B', title('B'));
    await settle(1500);
    expect(server.log.map(({ name }) => name)).toEqual(['title: A', 'title: B']);
    expect(state(opened).saving.kind).toBe('saved');
  });

  test('what could not be sent survives a reload', async () => {
    const opened = await open();
    server.wire = 'down';
    opened.do('title: A', title('A'));
    await settle();
    opened.close();
    server.wire = 'up';
    const again = await open();
    expect(state(again).song.title).toBe('A');
    expect(state(again).history.undo.at(-1)?.name).toBe('title: A');
    expect(server.song.title).toBe('A');
  });

  test('a rival edit is said, and the server state can be taken', async () => {
    const opened = await open();
    server.take({ id: 'rival', name: 'title: Rival', role: 'do', edits: title('Rival') });
    opened.do('title: Mine', title('Mine'));
    await settle();
    expect(state(opened).saving.kind).toBe('elsewhere');
    await opened.takeServerState();
    expect(state(opened)).toMatchObject({
      song: { title: 'Rival' },
      pending: [],
      saving: { kind: 'saved' },
    });
    opened.do('title: Next', title('Next'));
    await settle();
    expect(server.song.title).toBe('Next');
  });

  test('a gesture is shown but not done until it ends', async () => {
    const opened = await open();
    opened.preview(title('Half'));
    expect(state(opened).shown.title).toBe('Half');
    expect(state(opened).song.title).toBe('Song');
    opened.endPreview();
    expect(state(opened).shown.title).toBe('Song');
    await settle();
    expect(server.log).toHaveLength(0);
  });
});

describe('steps of one gesture', () => {
  const titled = (from: string, to: string) =>
    [`title ${from} → ${to}`, [{ kind: 'set-title', title: to } as const]] as const;

  test('ten ticks of a wheel are one step, sent once, and one undo', async () => {
    session = await SongSession.open('s');
    for (let n = 0; n < 10; n++) {
      session.do(...titled(`${n}`, `${n + 1}`));
      await jest.advanceTimersByTimeAsync(80);
    }
    expect(session.store.getState().history.undo.map(({ name }) => name)).toEqual(['title 0 → 10']);
    expect(server.log).toHaveLength(0);
    // What is not sent is not called saved.
    expect(session.store.getState().saving.kind).toBe('saving');
    await jest.advanceTimersByTimeAsync(1500);
    expect(server.log).toHaveLength(1);
    expect(session.store.getState().saving.kind).toBe('saved');
    session.undo();
    await jest.advanceTimersByTimeAsync(100);
    expect(session.store.getState().song.title).toBe('Song');
    expect(server.song.title).toBe('Song');
  });

  test('after a second, or on another target, a new step begins; any other step sends what waits', async () => {
    session = await SongSession.open('s');
    session.do(...titled('0', '1'));
    await jest.advanceTimersByTimeAsync(1200);
    session.do(...titled('1', '2'));
    session.do('pan law −3 → −6', [{ kind: 'set-pan-law', panLaw: '-6' }]);
    session.do('no figure', [{ kind: 'set-title', title: 'x' }]);
    await jest.advanceTimersByTimeAsync(50);
    expect(server.log.map(({ name }) => name)).toEqual([
      'title 0 → 1',
      'title 1 → 2',
      'pan law −3 → −6',
      'no figure',
    ]);
  });

  test('an undo in the middle of a gesture takes all of it back', async () => {
    session = await SongSession.open('s');
    session.do(...titled('0', '1'));
    session.do(...titled('1', '2'));
    session.undo();
    await jest.advanceTimersByTimeAsync(50);
    expect(session.store.getState().song.title).toBe('Song');
    expect(server.log.map(({ role }) => role)).toEqual(['do', 'undo']);
  });
});

test('what came and is no song is said, and never half opened', async () => {
  for (const song of [
    null,
    {},
    { ...server.song, mixer: 1 },
    { ...server.song, partOrder: ['z'] },
  ]) {
    server.song = song as Song;
    await expect(SongSession.open('s')).rejects.toThrow(/\.$/);
  }
});
