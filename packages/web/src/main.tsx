import '@fontsource/source-sans-3/400.css';
import '@fontsource/source-sans-3/600.css';
import '@fontsource/source-code-pro/400.css';
import '@fontsource/source-code-pro/500.css';
import './styles/theme.scss';
import './controls/controls.scss';
import { QueryClientProvider } from '@tanstack/react-query';
import { lazy, StrictMode, Suspense, type ReactNode } from 'react';
import { createRoot } from 'react-dom/client';
import { createBrowserRouter, Link, RouterProvider } from 'react-router';
import { createQueries } from './api/queries.ts';
import { Boundary } from './controls/Boundary.tsx';
import { NoticeBoard } from './controls/NoticeBoard.tsx';
import { places } from './frame/places.ts';
import { SongsPage } from './songs/SongsPage.tsx';

// The list of songs comes alone; what a song needs, and measuring a file, when they are gone to.
const SongPage = lazy(() =>
  import('./frame/SongPage.tsx').then(({ SongPage: page }) => ({ default: page })),
);
const MeasurePage = lazy(() =>
  import('./report/MeasurePage.tsx').then(({ MeasurePage: page }) => ({ default: page })),
);

function Fetched({ children }: { readonly children: ReactNode }) {
  return (
    <Boundary what="This page">
      <Suspense
        fallback={
          <main className="songs-page">
            <p className="quiet">Opening …</p>
          </main>
        }
      >
        {children}
      </Suspense>
    </Boundary>
  );
}

const song = (
  <Fetched>
    <SongPage />
  </Fetched>
);

const queries = createQueries();

function NoSuchPlace() {
  return (
    <main className="songs-page">
      <h1 className="h4">There is nothing at this address</h1>
      <p>
        <Link to="/">To the songs</Link>
      </p>
    </main>
  );
}

const router = createBrowserRouter([
  { path: '/', element: <SongsPage /> },
  { path: '/songs/:songId', element: song },
  ...places.map(({ id }) => ({ path: `/songs/:songId/parts/:partId/${id}`, element: song })),
  {
    path: '/measure',
    element: (
      <Fetched>
        <MeasurePage />
      </Fetched>
    ),
  },
  { path: '*', element: <NoSuchPlace /> },
]);

createRoot(document.getElementById('root') as HTMLElement).render(
  <StrictMode>
    <QueryClientProvider client={queries}>
      <RouterProvider router={router} />
      <NoticeBoard />
    </QueryClientProvider>
  </StrictMode>,
);
