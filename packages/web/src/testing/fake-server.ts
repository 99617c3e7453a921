import { apply, type Command, type LoggedCommand } from '@pannet/core/song/commands';
import { emptySong, type Song } from '@pannet/core/song/song';

interface Asked {
  readonly method: string;
  readonly path: string;
  readonly body: unknown;
  readonly bytes: number;
}

/** A server as the session sees it: songs with a log and a revision, and a wire that can be cut. */
export class FakeServer {
  song: Song = emptySong('s', 'Song');
  log: LoggedCommand[] = [];
  /** Songs that were made as copies, by id. */
  readonly copies = new Map<string, FakeServer>();
  wire: 'up' | 'down' | 'answer lost' = 'up';
  /** What it says instead, if anything. */
  says: (asked: Asked) => { readonly status: number; readonly body?: unknown } | null = () => null;
  /** Who is signed in; null where there are no accounts. */
  account: string | null = null;
  /** How many commands of the log an opened song tells. */
  page = Infinity;
  readonly asked: Asked[] = [];

  readonly fetch = (
    path: string,
    { method, body }: { method: string; body?: string },
  ): Promise<object> => {
    if (this.wire === 'down') return Promise.reject(new TypeError('Failed to fetch'));
    const asked = {
      ...{ method, path, bytes: body?.length ?? 0 },
      body: body === undefined ? undefined : (JSON.parse(body) as unknown),
    };
    this.asked.push(asked);
    const said = this.says(asked);
    if (said) return this.#answer(said.status, said.body ?? {});
    const [, id, what = ''] = /songs\/([^/]+)\/?(.*)$/.exec(path) ?? [];
    const copy = this.copies.get(id);
    if (copy) return copy.fetch(path, { method, body });
    if (path === '/api/session')
      return this.#answer(200, { accounts: this.account !== null, name: this.account });
    if (method === 'GET' && what === 'revision')
      return this.#answer(200, { revision: this.log.length });
    if (method === 'GET' && what.startsWith('log'))
      return this.#answer(200, this.#page(Number(/upTo=(\d+)/.exec(what)?.[1])));
    if (method === 'GET')
      return this.#answer(200, {
        ...{ song: this.song, revision: this.log.length, may: 'own' },
        ...this.#page(this.log.length),
      });
    if (what === 'copies') return this.#copy(asked.body as { revision: number; title: string });
    return this.#commands(asked.body as { baseRevision: number; commands: Command[] });
  };

  #page(upTo: number) {
    const first = Math.max(0, upTo - this.page);
    return { log: this.log.slice(first, upTo), earlier: first > 0 ? first : null };
  }

  #copy({ revision, title }: { revision: number; title: string }) {
    const copy = new FakeServer();
    const id = `copy-${this.copies.size + 1}`;
    let { song } = this;
    for (const { name, inverse } of this.log.slice(revision).reverse())
      song = this.#applied(song, { id: 'back', name, role: 'do', edits: inverse }).song;
    copy.song = { ...song, id, title };
    this.copies.set(id, copy);
    return this.#answer(201, {
      ...{ id, title, revision: 0, parts: 0, updatedAt: '', may: 'own', owner: null },
    });
  }

  #commands({ baseRevision, commands }: { baseRevision: number; commands: Command[] }) {
    const known = commands.filter(({ id }) => this.log.some((logged) => logged.id === id));
    if (baseRevision + known.length !== this.log.length)
      return this.#answer(409, {
        ...{ detail: 'This song was changed elsewhere.', code: 'other-revision' },
        known: known.map(({ id }) => id),
      });
    for (const command of commands) if (!known.includes(command)) this.take(command);
    if (this.wire === 'answer lost') return Promise.reject(new TypeError('Failed to fetch'));
    return this.#answer(200, { revision: this.log.length });
  }

  take(command: Command): void {
    const { song, inverse } = this.#applied(this.song, command);
    this.song = song;
    this.log.push({ ...command, inverse });
  }

  #applied(song: Song, command: Command) {
    const applied = apply(song, command);
    if (!applied.ok) throw new Error(applied.error.sentence);
    return applied.value;
  }

  #answer(status: number, value: unknown) {
    const text = JSON.stringify(value);
    return Promise.resolve({
      status,
      ok: status < 300,
      headers: new Headers(status === 429 ? { 'Retry-After': '7' } : {}),
      json: () => Promise.resolve(JSON.parse(text) as unknown),
      text: () => Promise.resolve(text),
    });
  }
}
