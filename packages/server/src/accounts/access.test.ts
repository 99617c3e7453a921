import { randomUUID } from 'node:crypto';
import { beforeAll, describe, expect, test } from '@jest/globals';
import { neutralImage } from '@pannet/core/image/image';
import { writeImageFile } from '@pannet/core/image/image-file';
import type { Recording } from '@pannet/core/song/song';
import { neutralPreparation } from '@pannet/core/takes/preparation';
import { DataSource } from 'typeorm';
import { type Answer, recordingBytes, RunningServer, titled } from '../running-server.fixture.ts';
import { expectSuccess } from '@pannet/core/outcome';
import { RecipesService } from '../recipes/recipes.service.ts';
import { SongsService } from '../songs/songs.service.ts';
import { visitorOf } from './visitor.ts';
import { AccountsService } from './accounts.service.ts';

const server = new RunningServer({
  accountsAsked: true,
  requestsPerMinute: 1_000_000,
  signInsPerMinute: 1000,
});
const password = 'seven grey herons on a wire';

/** Who asks; `worker` is one whom the song was shared with to work on. */
const callers = ['nobody', 'stranger', 'reader', 'worker', 'owner'] as const;
type Caller = (typeof callers)[number];

const cookies: Partial<Record<Caller, string>> = {};

async function signIn(name: string, secret = password): Promise<Answer> {
  return server.call('POST', '/session', { name, password: secret });
}

const cookieOf = (answer: Answer) => (answer.headers.get('set-cookie') ?? '').split(';')[0];

const as = (caller: Caller): Record<string, string> =>
  cookies[caller] ? { Cookie: cookies[caller] } : {};

const ask = (caller: Caller, method: string, path: string, body?: unknown) =>
  server.call(method, path, body, as(caller));

beforeAll(async () => {
  const accounts = server.app.get(AccountsService);
  for (const name of callers.slice(1)) {
    const added = await accounts.add(name, password);
    expect(added.ok ? '' : added.error.sentence).toBe('');
    cookies[name] = cookieOf(await signIn(name));
  }
});

/** A song of the owner's with a recording in it, as the table's rows need one. */
interface Scene {
  readonly song: string;
  readonly recording: Recording;
  readonly revision: number;
  readonly recipe: string;
}

let seed = 0;
async function scene(): Promise<Scene> {
  const song = (await ask('owner', 'POST', '/songs', { title: 'Scene' })).body.id as string;
  const bytes = recordingBytes(500, 0.9 + ++seed / 7919);
  const recording = (await server.upload(bytes, 'take.wav', as('owner')))
    .body as unknown as Recording;
  const edits = [
    { kind: 'set-rate', rateHz: 48_000 },
    { kind: 'put-recording', recording },
  ];
  const commands = [{ ...titled('begin'), edits }];
  await ask('owner', 'POST', `/songs/${song}/commands`, { baseRevision: 0, commands });
  await ask('owner', 'PUT', `/songs/${song}/shares/reader`, { may: 'read' });
  await ask('owner', 'PUT', `/songs/${song}/shares/worker`, { may: 'work' });
  const recipe = randomUUID();
  await ask('owner', 'POST', '/recipes', { id: recipe, name: 'Mine', file: image });
  return { song, recording, revision: 1, recipe };
}

const image = writeImageFile({
  name: null,
  panLaw: '-4.5',
  preparation: neutralPreparation,
  image: neutralImage(),
});

interface Row {
  readonly route: string;
  readonly path: (scene: Scene) => string;
  readonly body?: (scene: Scene) => unknown;
  /** Statuses by caller, in the order of `callers`. */
  readonly gives: readonly [number, number, number, number, number];
  /** Done before, by the owner. */
  readonly before?: (scene: Scene) => Promise<unknown>;
  /** Sends something else than JSON. */
  readonly send?: (scene: Scene, caller: Caller) => Promise<Answer>;
}

/** Every route, and who may. What one may not see is not there; what one may see and not do is forbidden. */
const table: readonly Row[] = [
  { route: 'get /api/health', path: () => '/health', gives: [200, 200, 200, 200, 200] },
  { route: 'get /api/session', path: () => '/session', gives: [200, 200, 200, 200, 200] },
  {
    route: 'post /api/session',
    path: () => '/session',
    body: () => ({ name: 'owner', password: 'not this one, no' }),
    gives: [401, 401, 401, 401, 401],
  },
  {
    route: 'put /api/session/password',
    path: () => '/session/password',
    body: () => ({ current: 'not this one, no', next: 'another long sentence' }),
    gives: [401, 422, 422, 422, 422],
  },
  { route: 'get /api/disk', path: () => '/disk', gives: [401, 200, 200, 200, 200] },
  { route: 'get /api/songs', path: () => '/songs', gives: [401, 200, 200, 200, 200] },
  {
    route: 'post /api/songs',
    path: () => '/songs',
    body: () => ({ title: 'New' }),
    gives: [401, 201, 201, 201, 201],
  },
  {
    route: 'get /api/songs/{id}',
    path: ({ song }) => `/songs/${song}`,
    gives: [401, 404, 200, 200, 200],
  },
  {
    route: 'get /api/songs/{id}/revision',
    path: ({ song }) => `/songs/${song}/revision`,
    gives: [401, 404, 200, 200, 200],
  },
  {
    route: 'get /api/songs/{id}/log',
    path: ({ song }) => `/songs/${song}/log?upTo=1`,
    gives: [401, 404, 200, 200, 200],
  },
  {
    route: 'delete /api/songs/{id}',
    path: ({ song }) => `/songs/${song}`,
    gives: [401, 404, 403, 403, 204],
  },
  {
    route: 'post /api/songs/{id}/restore',
    path: ({ song }) => `/songs/${song}/restore`,
    before: ({ song }) => ask('owner', 'DELETE', `/songs/${song}`),
    gives: [401, 404, 403, 403, 200],
  },
  {
    route: 'post /api/songs/{id}/copies',
    path: ({ song }) => `/songs/${song}/copies`,
    body: ({ revision }) => ({ revision, title: 'Copy' }),
    gives: [401, 404, 201, 201, 201],
  },
  {
    route: 'post /api/songs/{id}/commands',
    path: ({ song }) => `/songs/${song}/commands`,
    body: ({ revision }) => ({ baseRevision: revision, commands: [titled('By whom')] }),
    gives: [401, 404, 403, 200, 200],
  },
  {
    route: 'get /api/songs/{id}/shares',
    path: ({ song }) => `/songs/${song}/shares`,
    gives: [401, 404, 200, 200, 200],
  },
  {
    route: 'put /api/songs/{id}/shares/{name}',
    path: ({ song }) => `/songs/${song}/shares/stranger`,
    body: () => ({ may: 'read' }),
    gives: [401, 404, 403, 403, 200],
  },
  {
    route: 'delete /api/songs/{id}/shares/{name}',
    path: ({ song }) => `/songs/${song}/shares/reader`,
    gives: [401, 404, 403, 403, 200],
  },
  {
    route: 'post /api/recordings',
    path: () => '/recordings',
    send: (_, caller) =>
      server.upload(recordingBytes(300, 0.5 + ++seed / 7919), 'new.wav', as(caller)),
    gives: [401, 201, 201, 201, 201],
  },
  {
    route: 'post /api/recordings/originals',
    path: () => '/recordings/originals',
    send: async (_, caller) => {
      const response = await fetch(`${server.base}/recordings/originals`, {
        method: 'POST',
        body: 'any bytes',
        headers: { 'Content-Type': 'application/octet-stream', ...as(caller) },
      });
      return { status: response.status } as Answer;
    },
    gives: [401, 201, 201, 201, 201],
  },
  {
    route: 'get /api/recordings/{hash}/audio',
    path: ({ recording }) => `/recordings/${recording.hash}/audio`,
    gives: [401, 404, 200, 200, 200],
  },
  {
    route: 'post /api/recordings/ranges',
    path: () => '/recordings/ranges',
    body: ({ recording }) => ({ ranges: [{ hash: recording.hash, start: 0, end: 50 }] }),
    gives: [401, 404, 200, 200, 200],
  },
  { route: 'get /api/recipes', path: () => '/recipes', gives: [401, 200, 200, 200, 200] },
  {
    route: 'post /api/recipes',
    path: () => '/recipes',
    body: () => ({ id: randomUUID(), name: 'One', file: image }),
    gives: [401, 201, 201, 201, 201],
  },
  {
    route: 'delete /api/recipes/{id}',
    path: ({ recipe }) => `/recipes/${recipe}`,
    gives: [401, 404, 404, 404, 204],
  },
  // Last: it ends the session that asks. Signing out when one is not signed in is no fault.
  { route: 'delete /api/session', path: () => '/session', gives: [204, 204, 204, 204, 204] },
];

describe('every route, as everyone', () => {
  test('the table has a row for each', async () => {
    const { body } = await server.call('GET', '/openapi.json');
    const routes = Object.entries(body.paths as Record<string, object>).flatMap(([path, methods]) =>
      Object.keys(methods).map((method) => `${method} ${path}`),
    );
    expect([...table.map(({ route }) => route)].sort()).toEqual(routes.sort());
  });

  test.each(table.filter(({ route }) => route !== 'delete /api/session'))('$route', async (row) => {
    const found: number[] = [];
    for (const caller of callers) {
      const there = await scene();
      await row.before?.(there);
      const method = row.route.split(' ')[0].toUpperCase();
      const answer = row.send
        ? await row.send(there, caller)
        : await ask(caller, method, row.path(there), row.body?.(there));
      found.push(answer.status);
    }
    expect(found).toEqual(row.gives);
  });
});

describe('accounts', () => {
  test('see their own songs and those shared with them, and what they may do', async () => {
    const { song } = await scene();
    const seen = async (caller: Caller) =>
      (
        (await ask(caller, 'GET', '/songs')).body as unknown as {
          id: string;
          may: string;
          owner: string;
        }[]
      ).find(({ id }) => id === song);
    expect(await seen('owner')).toMatchObject({ may: 'own', owner: 'owner' });
    expect(await seen('worker')).toMatchObject({ may: 'work', owner: 'owner' });
    expect(await seen('reader')).toMatchObject({ may: 'read' });
    expect(await seen('stranger')).toBeUndefined();
  });

  test('a known hash is no key: a song cannot name what its worker may not hear', async () => {
    const { recording } = await scene();
    const own = (await ask('stranger', 'POST', '/songs', { title: 'Thief' })).body.id as string;
    const edits = [
      { kind: 'set-rate', rateHz: 48_000 },
      { kind: 'put-recording', recording },
    ];
    const answer = await ask('stranger', 'POST', `/songs/${own}/commands`, {
      baseRevision: 0,
      commands: [{ ...titled('x'), edits }],
    });
    expect(answer).toMatchObject({ status: 422, body: { code: 'unknown-recording' } });
  });

  test('what is shared no more is gone at once, recordings too', async () => {
    const { song, recording } = await scene();
    const listen = () => ask('reader', 'GET', `/recordings/${recording.hash}/audio`);
    expect((await listen()).status).toBe(200);
    await ask('owner', 'DELETE', `/songs/${song}/shares/reader`);
    expect((await listen()).status).toBe(404);
    expect((await ask('reader', 'GET', `/songs/${song}`)).status).toBe(404);
  });

  test('who did what stands in the log', async () => {
    const { song } = await scene();
    await ask('worker', 'POST', `/songs/${song}/commands`, {
      baseRevision: 1,
      commands: [titled('By the worker')],
    });
    const rows: unknown = await server.app
      .get(DataSource)
      .query('SELECT account FROM commands WHERE song_id = $1 ORDER BY revision', [song]);
    expect(rows).toEqual([{ account: 'owner' }, { account: 'worker' }]);
  });

  test('a song is shared only with an account that there is, and not with oneself', async () => {
    const { song } = await scene();
    const share = (name: string) =>
      ask('owner', 'PUT', `/songs/${song}/shares/${name}`, { may: 'work' });
    expect((await share('no-one')).body.detail).toMatch(/no account of this name/);
    expect((await share('owner')).body.detail).toMatch(/yours already/);
  });
});

describe('signing in', () => {
  const accounts = () => server.app.get(AccountsService);

  test('the cookie is for this server alone, and no script sees it', async () => {
    const answer = await signIn('owner');
    expect(answer).toMatchObject({ status: 200, body: { accounts: true, name: 'owner' } });
    expect(answer.headers.get('set-cookie')).toMatch(/HttpOnly; SameSite=Strict/i);
  });

  test('gives a new session each time, so that a planted one is worth nothing', async () => {
    const first = cookieOf(await signIn('owner'));
    const again = await server.call(
      'POST',
      '/session',
      { name: 'owner', password },
      { Cookie: first },
    );
    expect(cookieOf(again)).not.toBe(first);
    expect((await server.call('GET', '/songs', undefined, { Cookie: first })).status).toBe(401);
  });

  test('signing out ends it on the server', async () => {
    const cookie = cookieOf(await signIn('owner'));
    expect((await server.call('GET', '/songs', undefined, { Cookie: cookie })).status).toBe(200);
    await server.call('DELETE', '/session', undefined, { Cookie: cookie });
    expect((await server.call('GET', '/songs', undefined, { Cookie: cookie })).status).toBe(401);
  });

  test('a new password and a removed account end all of its sessions', async () => {
    await accounts().add('passing', password);
    const cookie = cookieOf(await signIn('passing'));
    const asks = () => server.call('GET', '/songs', undefined, { Cookie: cookie });
    expect((await asks()).status).toBe(200);
    expect((await accounts().setPassword('passing', 'another long sentence')).ok).toBe(true);
    expect((await asks()).status).toBe(401);
    expect((await signIn('passing')).status).toBe(401);
    const renewed = cookieOf(await signIn('passing', 'another long sentence'));
    expect((await accounts().remove('passing')).ok).toBe(true);
    const after = await server.call('GET', '/songs', undefined, { Cookie: renewed });
    expect(after.status).toBe(401);
  });

  test('one chooses another password oneself, with the one that one has; other sessions end', async () => {
    await accounts().add('chooser', password);
    const [here, there] = [cookieOf(await signIn('chooser')), cookieOf(await signIn('chooser'))];
    const choose = (current: string, next: string) =>
      server.call('PUT', '/session/password', { current, next }, { Cookie: here });
    expect((await choose('a guess of mine', 'another long sentence')).status).toBe(422);
    expect((await choose(password, 'short')).body.detail).toMatch(/12 to 200/);
    const chosen = await choose(password, 'another long sentence');
    expect(chosen.status).toBe(204);
    const asks = async (cookie: string) =>
      (await server.call('GET', '/songs', undefined, { Cookie: cookie })).status;
    expect([await asks(there), await asks(cookieOf(chosen))]).toEqual([401, 200]);
  });

  test('a wrong password and a name that there is not are told alike, and only so often', async () => {
    await accounts().add('guessed', password);
    const wrong = await signIn('guessed', 'not the password');
    const unknown = await signIn('nobody-at-all', 'not the password');
    expect(wrong.body.detail).toBe(unknown.body.detail);
    const statuses = [];
    for (let n = 0; n < 12; n++) statuses.push((await signIn('guessed', `guess ${n}`)).status);
    expect(statuses).toContain(429);
  });

  test.each([
    ['short', 'short'],
    ['aaaaaaaaaaaaaaaa', 'of one letter'],
    ['password1234', 'among the most usual'],
    ['my name is holder9 here', 'with the name in it'],
  ])('the password “%s” may not be chosen: %s', async (chosen) => {
    const added = await accounts().add('holder9', chosen);
    expect(added.ok ? '' : added.error.sentence).toMatch(/password/i);
  });

  test('passwords are kept as Argon2id only (OWASP Password Storage Cheat Sheet: 19 MiB, 2 passes)', async () => {
    const account = await accounts().byName('owner');
    expect(account?.passwordHash).toMatch(/^\$argon2id\$v=19\$m=19456,t=2,p=1\$/);
  });

  test('songs and recipes of an account that is removed go to the oldest', async () => {
    const leaving = expectSuccess(await accounts().add('leaving', password));
    const songs = server.app.get(SongsService);
    const { id } = await songs.create(visitorOf(leaving), 'Left behind');
    const recipeId = randomUUID();
    const recipe = { id: recipeId, name: 'Left too', file: image };
    await server.app.get(RecipesService).keep(visitorOf(leaving), recipe);
    await accounts().remove('leaving');
    const [oldest] = await accounts().list();
    const rows: unknown = await server.app
      .get(DataSource)
      .query('SELECT owner_id FROM songs WHERE id = $1', [id]);
    expect(rows).toEqual([{ owner_id: oldest.id }]);
    const recipes: unknown = await server.app
      .get(DataSource)
      .query('SELECT owner_id FROM recipes WHERE id = $1', [recipeId]);
    expect(recipes).toEqual([{ owner_id: oldest.id }]);
  });
});
