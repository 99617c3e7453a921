import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { render } from '@testing-library/react';
import type { ReactNode } from 'react';
import { OpenSong } from '../session/open-song.ts';
import { OpenSongContext } from '../session/use-open-song.ts';
import { twoPartsSession } from './session.fixture.ts';
import './patience.ts';

/** Two parts, opened where there is neither audio nor workers nor a server. */
export function openTwoParts(partId: string): OpenSong {
  let ids = 0;
  Object.assign(globalThis.crypto, { randomUUID: () => `id-${ids++}` });
  // jsdom draws nothing; the canvases do without.
  HTMLCanvasElement.prototype.getContext = () => null;
  return new OpenSong(twoPartsSession(), partId);
}

export function showIn(open: OpenSong, place: ReactNode) {
  const queries = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  return render(
    <QueryClientProvider client={queries}>
      <OpenSongContext value={open}>{place}</OpenSongContext>
    </QueryClientProvider>,
  );
}
