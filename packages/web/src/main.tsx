import '@fontsource/source-sans-3/400.css';
import '@fontsource/source-sans-3/600.css';
import '@fontsource/source-code-pro/400.css';
import '@fontsource/source-code-pro/500.css';
import './styles/theme.scss';
import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { createBrowserRouter, Link, RouterProvider } from 'react-router';
import { NoticeBoard } from './controls/NoticeBoard.tsx';
import { MeasurePage } from './report/MeasurePage.tsx';
import { SongPage } from './frame/SongPage.tsx';
import { SongsPage } from './songs/SongsPage.tsx';

const queries = new QueryClient({
  defaultOptions: { queries: { retry: 2, retryDelay: 500, refetchOnWindowFocus: true } },
});

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
  { path: '/songs/:songId', element: <SongPage /> },
  { path: '/songs/:songId/parts/:partId/image', element: <SongPage /> },
  { path: '/songs/:songId/parts/:partId/compare', element: <SongPage /> },
  { path: '/songs/:songId/parts/:partId/among', element: <SongPage /> },
  { path: '/measure', element: <MeasurePage /> },
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
