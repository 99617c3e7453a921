import { connect, type Socket } from 'node:net';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { AccountsService } from './accounts/accounts.service.ts';
import { RunningServer } from './running-server.fixture.ts';

/** Ways to write one path that a server may take for the same; the first is the usual one. */
const spellings: readonly ((path: string) => string)[] = [
  (path) => path,
  (path) => `${path}/`,
  (path) => path.toUpperCase().replace('/API', '/api'),
  (path) => path.replace('/api', '/API'),
  (path) => path.replace(/[a-z](?=[^/]*$)/, (letter) => `%${letter.charCodeAt(0).toString(16)}`),
  (path) => `/${path}`,
];

const json = { 'Content-Type': 'application/json' };
const rootOf = (server: RunningServer) => server.base.replace(/\/api$/, '');

async function routesOf(server: RunningServer): Promise<{ method: string; path: string }[]> {
  const { body } = await server.call('GET', '/openapi.json');
  return Object.entries(body.paths as Record<string, object>).flatMap(([path, methods]) =>
    Object.keys(methods).map((method) => ({
      method: method.toUpperCase(),
      path: path
        .replace('{id}', '00000000-0000-4000-8000-000000000000')
        .replace('{hash}', 'a'.repeat(64))
        .replace('{name}', 'somebody'),
    })),
  );
}

describe('however a path is spelled', () => {
  const server = new RunningServer({
    accountsAsked: true,
    signInsPerMinute: 30,
    requestsPerMinute: 10_000_000,
  });
  beforeAll(async () => {
    await server.app.get(AccountsService).add('berta', 'seven grey herons on a wire');
  });

  const asked = (method: string, path: string, body: unknown = {}) =>
    fetch(`${rootOf(server)}${path}`, {
      method,
      headers: method === 'GET' ? {} : json,
      ...(method === 'GET' ? {} : { body: JSON.stringify(body) }),
    });

  test('no route opens to whoever is not signed in', async () => {
    const open = new Set([
      'GET /api/session',
      'POST /api/session',
      'DELETE /api/session',
      'GET /api/health',
    ]);
    for (const { method, path } of await routesOf(server)) {
      if (open.has(`${method} ${path}`)) continue;
      for (const spell of spellings) {
        const { status } = await asked(method, spell(path));
        expect({
          path: `${method} ${spell(path)}`,
          status: [401, 404, 415].includes(status),
        }).toEqual({
          path: `${method} ${spell(path)}`,
          status: true,
        });
      }
    }
  });

  test('guessing is limited by name, over all spellings together', async () => {
    const statuses: number[] = [];
    for (let n = 0; n < 24; n++)
      statuses.push(
        (
          await asked('POST', spellings[n % spellings.length]('/api/session'), {
            name: 'berta',
            password: `guess ${n}`,
          })
        ).status,
      );
    expect(statuses.filter((status) => status === 401).length).toBeLessThanOrEqual(10);
    expect(statuses.slice(-6)).not.toContain(401);
    expect(statuses.at(-24)).toBe(401);
    expect(statuses).toContain(429);
  });
});

describe('what may be asked in a minute', () => {
  const strict = new RunningServer({ requestsPerMinute: 60 });

  test('counts every spelling of a route', async () => {
    let answered = 0;
    for (let n = 0; n < 120; n++) {
      const path = spellings[n % spellings.length]('/api/songs');
      if ((await fetch(`${rootOf(strict)}${path}`)).status === 200) answered++;
    }
    expect(answered).toBeGreaterThan(20);
    expect(answered).toBeLessThanOrEqual(60);
  });
});

describe('connections that ask nothing', () => {
  const server = new RunningServer({ patienceS: 3 });
  const sockets: Socket[] = [];
  afterAll(() => sockets.forEach((socket) => socket.destroy()));

  test('shut nobody out, and end within seconds', async () => {
    let closed = 0;
    for (let n = 0; n < 1010; n++) {
      const socket = connect(server.port, '127.0.0.1');
      socket.on('error', () => {});
      socket.on('close', () => closed++);
      // Every other one begins a request and stops.
      if (n % 2) socket.write('GET /api/hea');
      sockets.push(socket);
      if (n % 100 === 0) expect((await server.call('GET', '/health')).status).toBe(200);
    }
    expect((await server.call('GET', '/health')).status).toBe(200);
    expect((await server.call('GET', '/songs')).status).toBe(200);
    for (const end = Date.now() + 60_000; closed < 1010 && Date.now() < end;)
      await new Promise((next) => setTimeout(next, 100));
    expect(closed).toBe(1010);
  });

  test('do not push out one that is being answered', async () => {
    // A request whose body is still coming is under way.
    const busy = connect(server.port, '127.0.0.1');
    let answer = '';
    busy.on('data', (data) => (answer += data.toString()));
    busy.write(
      'POST /api/songs HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: application/json\r\nContent-Length: 13\r\n\r\n{"title"',
    );
    await new Promise((next) => setTimeout(next, 200));
    for (let n = 0; n < 450; n++) {
      const socket = connect(server.port, '127.0.0.1');
      socket.on('error', () => {});
      sockets.push(socket);
    }
    await new Promise((next) => setTimeout(next, 500));
    busy.write(':"x"}');
    for (const end = Date.now() + 20_000; !answer.includes('201') && Date.now() < end;)
      await new Promise((next) => setTimeout(next, 50));
    busy.destroy();
    expect(answer).toMatch(/^HTTP\/1.1 201/);
  });
});

test.each(['utf-16', 'UTF-16LE', '"utf-7"', 'iso-8859-1'])(
  'JSON in %s is refused, however deep it is nested',
  async (charset) => {
    const answer = await fetch(`${utf.base}/songs`, {
      method: 'POST',
      headers: { 'Content-Type': `application/json; charset=${charset}` },
      body: Buffer.from(`{"title":${'['.repeat(2000)}1${']'.repeat(2000)}}`, 'utf16le'),
    });
    expect(answer.status).toBe(415);
    expect(((await answer.json()) as { detail: string }).detail).toMatch(/charset must be utf-8/);
  },
);
const utf = new RunningServer();
