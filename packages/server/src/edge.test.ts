import { request as httpRequest, type Server } from 'node:http';
import { describe, expect, test } from '@jest/globals';
import { checked, ConfigurationError, readConfiguration } from './configuration/configuration.ts';
import { RunningServer } from './running-server.fixture.ts';

const server = new RunningServer();

/** As fetch will not let one ask: with any Host. */
function ask(method: string, path: string, headers: Record<string, string>): Promise<number> {
  return new Promise((resolve, reject) => {
    const asked = httpRequest(
      { port: server.port, host: '127.0.0.1', method, path: `/api${path}`, headers },
      (response) => {
        response.resume();
        resolve(response.statusCode ?? 0);
      },
    );
    asked.on('error', reject);
    asked.end(method === 'POST' ? '{"title":"x"}' : undefined);
  });
}

describe('only what is asked of this server, by its own pages or by programs', () => {
  const json = { 'Content-Type': 'application/json' };

  test.each([
    ['127.0.0.1', 200],
    ['localhost:4870', 200],
    ['[::1]:4870', 200],
    ['evil.example', 421],
    ['127.0.0.1.evil.example', 421],
    ['192.168.7.7', 421],
  ])('Host %s: %i', async (host, status) => {
    expect(await ask('GET', '/songs', { Host: host })).toBe(status);
  });

  test.each([
    ['its own page', { Host: 'localhost:1', Origin: 'http://localhost:1' }, 201],
    ['a program', {}, 201],
    ['another site', { Origin: 'https://evil.example' }, 403],
    ['another port of this machine', { Origin: 'http://127.0.0.1:1' }, 403],
    ['a page without an origin', { Origin: 'null' }, 403],
    ['another site, as the browser tells', { 'Sec-Fetch-Site': 'cross-site' }, 403],
  ])('a song begun by %s', async (_, headers, status) => {
    expect(await ask('POST', '/songs', { ...json, ...(headers as object) })).toBe(status);
  });

  test.each(['text/plain', 'application/x-www-form-urlencoded', 'multipart/form-data', ''])(
    'what a form can send (“%s”) changes nothing',
    async (type) => {
      const headers: Record<string, string> = type ? { 'Content-Type': type } : {};
      expect(await ask('POST', '/songs', headers)).toBe(415);
      expect(await ask('POST', '/recordings?fileName=x.wav', headers)).toBe(415);
    },
  );
});

describe('names that are configured', () => {
  const named = new RunningServer({ names: ['pannet.example'] });

  test('are known, and make that one has to sign in', async () => {
    const status = (host: string) =>
      new Promise<number>((resolve, reject) => {
        const headers = { Host: host };
        httpRequest(
          { port: named.port, host: '127.0.0.1', path: '/api/songs', headers },
          (response) => {
            response.resume();
            resolve(response.statusCode ?? 0);
          },
        )
          .on('error', reject)
          .end();
      });
    expect(await status('pannet.example')).toBe(401);
    expect(await status('other.example')).toBe(421);
  });
});

test('an upload may take as long as it goes on, and an idle connection is not closed under anyone’s feet', () => {
  const http = server.app.getHttpServer() as Server;
  expect(http.requestTimeout).toBe(0);
  expect(http.keepAliveTimeout).toBeGreaterThan(60_000);
  expect(http.headersTimeout).toBeGreaterThan(0);
});

describe('configuration', () => {
  const given = { DATABASE_URL: 'postgres://a:b@127.0.0.1:5432/c' };

  test('is read from the environment; what is not given has its default', () => {
    const read = readConfiguration({
      ...given,
      PORT: '5000',
      PANNET_NAMES: 'a.example, b.example',
    });
    expect(read).toMatchObject({ port: 5000, host: '127.0.0.1', demo: true });
    expect(read.names).toEqual(['a.example', 'b.example']);
    expect(read.accounts).toBe(true);
    expect(readConfiguration(given).accounts).toBe(false);
    expect(readConfiguration({ ...given, PANNET_HOST: '0.0.0.0' }).accounts).toBe(true);
    const proxied = { ...given, PANNET_TRUSTED_PROXY: '127.0.0.1', PANNET_NAMES: 'a.example' };
    expect(readConfiguration(proxied).accounts).toBe(true);
  });

  test.each([
    [{ DATABASE_URL: '' }, /DATABASE_URL must name/],
    [{}, /DATABASE_URL/],
    [{ ...given, PORT: 'eighty' }, /PORT must be a whole number/],
    [{ ...given, PANNET_HOST: 'my machine' }, /PANNET_HOST must be an address/],
    [{ ...given, PANNET_RATE: '1' }, /PANNET_RATE must be a whole number from 60/],
    [{ ...given, PANNET_TRUSTED_PROXY: 'everyone' }, /PANNET_TRUSTED_PROXY/],
    [{ ...given, PANNET_TRUSTED_PROXY: '127.0.0.1' }, /PANNET_TRUSTED_PROXY needs PANNET_NAMES/],
  ])('%j is refused in a sentence', (environment, sentence) => {
    expect(() => readConfiguration(environment)).toThrow(ConfigurationError);
    expect(() => readConfiguration(environment)).toThrow(sentence);
  });

  test('an address of everywhere knows this machine by its addresses', () => {
    const everywhere = checked({ databaseUrl: given.DATABASE_URL, host: '0.0.0.0' });
    expect(everywhere.knowsHost('localhost')).toBe(true);
    expect(everywhere.knowsHost('evil.example')).toBe(false);
  });
});
