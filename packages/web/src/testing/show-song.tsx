import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { render } from '@testing-library/react';
import type { ReactNode } from 'react';
import { OpenSong, OpenSongContext } from '../session/open-song.ts';
import { SongSession } from '../sync/song-session.ts';
import { FakeWorker } from './fake-worker.ts';
import { twoParts } from './song.fixture.ts';

/** Two parts, opened where there is neither audio nor workers nor a server. */
export function openTwoParts(partId: string): OpenSong {
  FakeWorker.install();
  localStorage.clear();
  let ids = 0;
  Object.assign(globalThis.crypto, { randomUUID: () => `id-${ids++}` });
  // jsdom draws nothing; the canvases do without.
  HTMLCanvasElement.prototype.getContext = () => null;
  Object.assign(globalThis, { fetch: () => new Promise(() => {}) });
  const session = new SongSession('s', {
    song: twoParts(),
    revision: 0,
    log: [],
    earlier: null,
    may: 'own',
  });
  return new OpenSong(session, partId);
}

export function showIn(open: OpenSong, place: ReactNode) {
  const queries = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  return render(
    <QueryClientProvider client={queries}>
      <OpenSongContext value={open}>{place}</OpenSongContext>
    </QueryClientProvider>,
  );
}
