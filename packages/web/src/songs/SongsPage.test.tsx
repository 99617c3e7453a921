import { expect, jest, test } from '@jest/globals';
import { QueryClientProvider } from '@tanstack/react-query';
import { fireEvent, render, screen } from '@testing-library/react';
import { MemoryRouter } from 'react-router';
import { createQueries } from '../api/queries.ts';
import { SongsPage } from './SongsPage.tsx';
import '../testing/patience.ts';

const answer = (status: number, body: unknown) =>
  ({
    ok: status < 400,
    status,
    text: () => Promise.resolve(JSON.stringify(body)),
    json: () => Promise.resolve(body),
  }) as Response;

const refused = answer(401, { code: 'signed-out', sentence: 'You are not signed in.' });

/** A server with accounts whose first answer about songs comes when it is let go. */
function serverWithAccounts() {
  let letGo = () => {};
  const first = new Promise<void>((resolve) => (letGo = resolve));
  const asked: string[] = [];
  let name: string | null = null;
  globalThis.fetch = jest.fn<typeof fetch>(async (path, init) => {
    const what = `${init?.method} ${path as string}`;
    asked.push(what);
    if (what === 'POST /api/session') name = 'olaf';
    if (what === 'DELETE /api/session') name = null;
    if (what === 'DELETE /api/session') return answer(204, undefined);
    if (what.endsWith('/api/session')) return answer(200, { accounts: true, name });
    if (what !== 'GET /api/songs') return answer(404, {});
    const then = name;
    if (asked.filter((each) => each === what).length === 1) await first;
    return then === null ? refused : answer(200, []);
  });
  return { letGo: () => letGo(), asked };
}

function show() {
  render(
    <QueryClientProvider client={createQueries()}>
      <MemoryRouter>
        <SongsPage />
      </MemoryRouter>
    </QueryClientProvider>,
  );
}

async function signIn() {
  fireEvent.change(await screen.findByLabelText('Name'), { target: { value: 'olaf' } });
  fireEvent.change(screen.getByLabelText('Password'), { target: { value: 'seven grey herons' } });
  fireEvent.click(screen.getByRole('button', { name: 'Sign in' }));
  await screen.findByRole('button', { name: 'Sign out' });
}

test('songs come after signing in, though what was asked before is refused only then', async () => {
  const { letGo, asked } = serverWithAccounts();
  show();
  await signIn();
  letGo();
  await screen.findByText(/There is no song yet/);
  expect(screen.queryByRole('alert')).toBeNull();
  expect(asked.filter((each) => each === 'GET /api/songs')).toHaveLength(2);
});

test('what was refused is not asked for again by itself', async () => {
  const { letGo, asked } = serverWithAccounts();
  letGo();
  show();
  await screen.findByLabelText('Name');
  await new Promise((resolve) => setTimeout(resolve, 700));
  expect(asked.filter((each) => each === 'GET /api/songs')).toHaveLength(1);
});

test('signing out asks to sign in again', async () => {
  const { letGo } = serverWithAccounts();
  letGo();
  show();
  await signIn();
  fireEvent.click(screen.getByRole('button', { name: 'Sign out' }));
  await screen.findByLabelText('Password');
  expect(screen.queryByText(/There is no song yet/)).toBeNull();
});
