import { notices } from '../controls/notices.ts';
import { SongSession } from '../sync/song-session.ts';
import { FakeWorker } from './fake-worker.ts';
import { twoParts } from './song.fixture.ts';

/** A session of a song of two parts, where there are neither workers nor a server: what would be sent is waited for. */
export function twoPartsSession(): SongSession {
  FakeWorker.install();
  localStorage.clear();
  notices.setState({ list: [] });
  Object.assign(globalThis, { fetch: () => new Promise(() => {}) });
  return new SongSession('s', {
    song: twoParts(),
    revision: 0,
    log: [],
    earlier: null,
    may: 'own',
  });
}
