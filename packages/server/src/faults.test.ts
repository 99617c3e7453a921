import { randomUUID } from 'node:crypto';
import { request as httpRequest, type IncomingMessage } from 'node:http';
import { connect, type Socket } from 'node:net';
import { describe, expect, test } from '@jest/globals';
import { neutralImage } from '@pannet/core/image/image';
import { newPart, type Recording } from '@pannet/core/song/song';
import { newVoice } from '@pannet/core/voices/voice';
import { DataSource } from 'typeorm';
import { recordingBytes, RunningServer, titled } from './running-server.fixture.ts';
import type { OpenedSong } from './songs/songs.service.ts';
import type { LogPage } from './songs/song-log.ts';

const server = new RunningServer({ patienceS: 2, uploadMb: 40 });
const call = server.call.bind(server);
const upload = server.upload.bind(server);

const send = (id: string, baseRevision: number, commands: unknown[]) =>
  call('POST', `/songs/${id}/commands`, { baseRevision, commands });

const opened = async (id: string) =>
  (await call('GET', `/songs/${id}`)).body as unknown as OpenedSong;

/** As many voices as an image can have. */
function fullImage() {
  const voices = Array.from({ length: 16 }, (_, n) => newVoice(`v${n}`, `voice ${n}`, {}));
  return { ...neutralImage(), voices };
}

/** A part that is as large as one can be. */
function fullPart({ hash }: Recording) {
  const image = fullImage();
  const drafts = Object.fromEntries([1, 2, 3, 4, 5, 6, 7, 8, 9].map((n) => [n, image]));
  return newPart('p', 'P', 'voice', [{ recording: hash, channel: 0 }], { image, drafts });
}

/** Asks whether the server is well until `done`, one question after the other; tells how often it answered. */
async function answersWhile(done: Promise<unknown>): Promise<number> {
  let answers = 0;
  let over = false;
  void done.finally(() => (over = true));
  while (!over) {
    expect((await call('GET', '/health')).status).toBe(200);
    answers++;
  }
  return answers;
}

/** For how long a transaction stood still at most, until `done`. */
async function longestStandingMs(done: Promise<unknown>): Promise<number> {
  let longest = 0;
  let over = false;
  void done.finally(() => (over = true));
  while (!over) {
    const [{ ms }] = (await server.app.get(DataSource).query(
      `SELECT coalesce(max(extract(epoch FROM clock_timestamp() - state_change) * 1000), 0)::float AS ms
       FROM pg_stat_activity WHERE datname = current_database() AND state = 'idle in transaction'`,
    )) as [{ ms: number }];
    longest = Math.max(longest, ms);
  }
  return longest;
}

describe('what another window did is never passed over', () => {
  test('a retry whose answer was lost learns that another has written since', async () => {
    const id = await server.newSong();
    const mine = titled('Mine');
    await send(id, 0, [mine]);
    await send(id, 1, [titled('Theirs')]);
    // All of it is known, and yet not all is as the sender believes.
    const retry = await send(id, 0, [mine]);
    expect(retry).toMatchObject({
      status: 409,
      body: { code: 'other-revision', revision: 2, known: [mine.id] },
    });
    const next = await send(id, 0, [mine, titled('Over it')]);
    expect(next.status).toBe(409);
    expect((await opened(id)).song.title).toBe('Theirs');
  });

  test('a retry that nobody came between is taken, known steps first', async () => {
    const id = await server.newSong();
    const steps = [titled('1'), titled('2')];
    await send(id, 0, steps);
    expect(await send(id, 0, [...steps, titled('3')])).toMatchObject({ body: { revision: 3 } });
    // One that stands before the base already changes nothing.
    expect(await send(id, 3, [steps[0]])).toMatchObject({ body: { revision: 3 } });
  });

  test('a song can be copied as it was, for steps that fit it no more', async () => {
    const id = await server.newSong('As it was');
    await send(id, 0, [titled('One'), titled('Two')]);
    const copy = await call('POST', `/songs/${id}/copies`, { revision: 1, title: 'Mine' });
    expect(copy.status).toBe(201);
    const song = (await opened(copy.body.id as string)).song;
    expect(song.title).toBe('Mine');
    expect(song.id).toBe(copy.body.id);
    const never = await call('POST', `/songs/${id}/copies`, { revision: 7, title: 'Mine' });
    expect(never.body.detail).toMatch(/at revision 2; it was never at 7/);
  });
});

describe('nobody is stuck', () => {
  test('twenty imports at once all come in', async () => {
    const imports = Array.from({ length: 20 }, async (_, n) => {
      const id = await server.newSong(`Import ${n}`);
      const recording = (await upload(recordingBytes(48_000, 0.2 + n / 997), `take ${n}.wav`)).body;
      return send(id, 0, [
        {
          ...titled('x'),
          edits: [
            { kind: 'set-rate', rateHz: 48_000 },
            { kind: 'put-recording', recording },
          ],
        },
      ]);
    });
    const answers = await Promise.all(imports);
    expect(answers.map(({ status }) => status)).toEqual(Array(20).fill(200));
  });

  test('readers that stop reading hold nobody else up, and are let go', async () => {
    const long = (await upload(recordingBytes(4_000_000, 0.31))).body as unknown as Recording;
    const readers = await Promise.all(
      Array.from(
        { length: 30 },
        () =>
          new Promise<IncomingMessage>((resolve, reject) => {
            const asked = httpRequest(`${server.base}/recordings/${long.hash}/audio`, resolve);
            asked.on('error', reject);
            asked.end();
          }),
      ),
    );
    for (const reader of readers) reader.on('error', () => {});
    const part = { headers: { Range: 'bytes=0-99' } };
    const answer = await fetch(`${server.base}/recordings/${long.hash}/audio`, part);
    expect((await answer.arrayBuffer()).byteLength).toBe(100);
    // Later than the server's patience.
    await new Promise((next) => setTimeout(next, 3500));
    const lengths = await Promise.all(
      readers.map(async (reader) => {
        let bytes = 0;
        try {
          for await (const piece of reader) bytes += (piece as Buffer).length;
        } catch {
          // Cut off, as it should be.
        }
        return bytes;
      }),
    );
    expect(Math.max(...lengths)).toBeLessThan(12_000_000);
  });

  test('uploads that crawl hold nobody else up, and are let go with a sentence', async () => {
    const crawling = Array.from(
      { length: 30 },
      (_, n) =>
        new Promise<{ status: number; said: string }>((resolve) => {
          const sent = httpRequest(`${server.base}/recordings?fileName=slow${n}.wav`, {
            method: 'POST',
            headers: { 'Content-Type': 'application/octet-stream', 'Content-Length': 5_000_000 },
          });
          sent.on('error', () => {});
          sent.on('response', (response) => {
            let said = '';
            response.on('data', (piece: Buffer) => (said += piece.toString()));
            response.on('end', () => {
              resolve({ status: response.statusCode ?? 0, said });
              sent.destroy();
            });
          });
          sent.write('RIFF');
        }),
    );
    expect((await upload(recordingBytes(48_000, 0.41))).status).toBe(201);
    for (const { status, said } of await Promise.all(crawling)) {
      expect(status).toBe(408);
      expect(said).toMatch(/Nothing came of the file for 2 s/);
    }
  });

  test('a request that never comes to its end is let go', async () => {
    const socket: Socket = connect(server.port, '127.0.0.1');
    socket.on('error', () => {});
    const ended = new Promise((resolve) => socket.once('close', resolve));
    socket.write(
      'POST /api/songs HTTP/1.1\r\nHost: localhost\r\nContent-Type: application/json\r\nContent-Length: 900\r\n\r\n{',
    );
    await ended;
  });

  test('a batch of five megabytes is applied while others are answered', async () => {
    const id = await server.newSong('Heavy');
    const recording = (await upload(recordingBytes(48_000, 0.51))).body as unknown as Recording;
    const part = fullPart(recording);
    const begin = [
      { kind: 'set-rate', rateHz: 48_000 },
      { kind: 'put-recording', recording },
      ...Array.from({ length: 20 }, (_, n) => ({
        kind: 'add-part',
        index: n,
        part: { ...part, id: `p${n}` },
      })),
    ];
    expect((await send(id, 0, [{ ...titled('begin'), edits: begin }])).status).toBe(200);
    const { image } = part;
    const setImage = JSON.stringify({ kind: 'set-image', partId: 'p0', image });
    const edits = Math.min(400, Math.floor(4_600_000 / setImage.length));
    const heavy = {
      ...titled('all of it'),
      edits: Array.from({ length: edits }, (_, n) => ({
        kind: 'set-image',
        partId: `p${n % 20}`,
        image,
      })),
    };
    const sending = send(id, 1, [heavy]);
    const answers = await answersWhile(sending);
    expect((await sending).status).toBe(200);
    // One that computes in one go answers the first question before and the second one after.
    expect(answers).toBeGreaterThan(3);
  });

  test('more work than one request may cost is refused, and fewer commands are taken', async () => {
    const id = await server.newSong('Too much');
    const recording = (await upload(recordingBytes(48_000, 0.52))).body as unknown as Recording;
    const part = fullPart(recording);
    const begin = [
      { kind: 'set-rate', rateHz: 48_000 },
      { kind: 'put-recording', recording },
      { kind: 'add-part', index: 0, part },
    ];
    await send(id, 0, [{ ...titled('begin'), edits: begin }]);
    const small = Array.from({ length: 300 }, (_, n) => ({
      kind: 'set-part',
      partId: 'p',
      changes: { levelDb: -n / 100 },
    }));
    const commands = Array.from({ length: 200 }, () => ({ ...titled('faders'), edits: small }));
    const since = performance.now();
    const sending = send(id, 1, commands).then((answer) => {
      // On a quick machine it is within what a request may cost.
      expect([200, 413]).toContain(answer.status);
      if (answer.status === 413) expect(answer.body.detail).toMatch(/fewer of them at once/);
    });
    const standing = longestStandingMs(sending);
    const answers = await answersWhile(sending);
    expect(answers).toBeGreaterThan(3);
    // Nothing is locked while it computes, so that nobody waits for it, however busy the machine.
    expect(await standing).toBeLessThan((performance.now() - since) / 2);
    const { revision } = await opened(id);
    expect((await send(id, revision, commands.slice(0, 5))).status).toBe(200);
  });

  test('what is sent several times at once is computed once', async () => {
    const recording = (await upload(recordingBytes(48_000, 0.53))).body as unknown as Recording;
    const begin = [
      { kind: 'set-rate', rateHz: 48_000 },
      { kind: 'put-recording', recording },
      { kind: 'add-part', index: 0, part: fullPart(recording) },
    ];
    const edits = Array.from({ length: 300 }, (_, n) => ({
      kind: 'set-part',
      partId: 'p',
      changes: { levelDb: -n / 100 },
    }));
    const costOf = async (times: number) => {
      const id = await server.newSong('Sent again');
      await send(id, 0, [{ ...titled('begin'), edits: begin }]);
      const commands = Array.from({ length: 20 }, () => ({ ...titled('faders'), edits }));
      const since = process.cpuUsage();
      const sent = await Promise.all(Array.from({ length: times }, () => send(id, 1, commands)));
      for (const { status, body } of sent) expect([status, body.revision]).toEqual([200, 21]);
      const { user, system } = process.cpuUsage(since);
      return user + system;
    };
    const once = await costOf(1);
    expect(await costOf(6)).toBeLessThan(3 * once);
  });

  test('a log is opened in pages, however large its steps', async () => {
    const id = await server.newSong('Long log');
    const recording = (await upload(recordingBytes(48_000, 0.61))).body as unknown as Recording;
    const image = fullImage();
    const part = newPart('p', 'P', 'voice', [{ recording: recording.hash, channel: 0 }], { image });
    await send(id, 0, [
      {
        ...titled('begin'),
        edits: [
          { kind: 'set-rate', rateHz: 48_000 },
          { kind: 'put-recording', recording },
          { kind: 'add-part', index: 0, part },
        ],
      },
    ]);
    const large = { kind: 'set-image', partId: 'p', image };
    const names: string[] = ['title: begin'];
    for (let n = 0; n < 2; n++) {
      const commands = Array.from({ length: 20 }, (_, k) => ({
        ...titled(`${n}.${k}`),
        edits: Array.from({ length: 10 }, () => large),
      }));
      names.push(...commands.map(({ name }) => name));
      const halves = [commands.slice(0, 10), commands.slice(10)];
      for (const [half, each] of halves.entries())
        expect((await send(id, 1 + n * 20 + half * 10, each)).status).toBe(200);
    }
    const pages: LogPage[] = [await opened(id)];
    const answer = await fetch(`${server.base}/songs/${id}`);
    expect((await answer.text()).length).toBeLessThan(4_000_000);
    for (let earlier = pages[0].earlier; earlier !== null; earlier = pages[0].earlier)
      pages.unshift(
        (await call('GET', `/songs/${id}/log?upTo=${earlier}`)).body as unknown as LogPage,
      );
    expect(pages.length).toBeGreaterThan(2);
    expect(pages.flatMap(({ log }) => log.map(({ name }) => name))).toEqual(names);
    expect((await call('GET', `/songs/${id}/log?upTo=x`)).status).toBe(400);
  });

  test.each([
    ['zeros', (view: DataView) => view.setUint32(12, 0)],
    [
      'empty chunks',
      (view: DataView) => {
        for (let at = 12; at + 8 <= view.byteLength; at += 8) view.setUint32(at, 0x6a756e6b);
      },
    ],
  ])('a WAV of nothing but %s is refused at once', async (_, fill) => {
    const bytes = new Uint8Array(20_000_000);
    const view = new DataView(bytes.buffer);
    view.setUint32(0, 0x52494646);
    view.setUint32(4, bytes.length - 8, true);
    view.setUint32(8, 0x57415645);
    fill(view);
    const refused = upload(bytes, 'empty.wav');
    expect(await refused).toMatchObject({
      status: 422,
      body: { detail: expect.stringMatching(/no audio among its first 1000 chunks/) },
    });
  });
});

describe('what comes may have any shape', () => {
  test.each<[string, unknown, RegExp]>([
    ['a NUL in the name of a step', { ...titled('x'), name: 'a\0b' }, /name/],
    ['no edits', { ...titled('x'), edits: [] }, /edits/],
    ['an edit that is a list', { ...titled('x'), edits: [[]] }, /./],
  ])('%s is 400', async (_, command, sentence) => {
    const id = await server.newSong();
    const answer = await send(id, 0, [command]);
    expect([400, 422]).toContain(answer.status);
    expect(answer.body.detail).toMatch(sentence);
    // And it blocks nothing.
    expect((await send(id, 0, [titled('next')])).status).toBe(200);
  });

  test('a NUL anywhere else is refused too', async () => {
    const id = await server.newSong();
    const inside = { ...titled('x'), edits: [{ kind: 'set-title', title: 'a\0b' }] };
    expect((await send(id, 0, [inside])).status).toBe(422);
    expect((await call('POST', '/songs', { title: 'a\0b' })).status).toBe(400);
    expect((await upload(recordingBytes(100, 0.3), 'a\0b.wav')).status).toBe(400);
  });

  test.each(['[]', 'null', '5', '"x"', '{"title":{}}', '{"title":["a"]}', '{', '{"__proto__":1}'])(
    'a body of %s is 400',
    async (body) => {
      const answer = await fetch(`${server.base}/songs`, {
        method: 'POST',
        body,
        headers: { 'Content-Type': 'application/json' },
      });
      expect(answer.status).toBe(400);
      expect(((await answer.json()) as { detail: string }).detail).toMatch(/\S/);
    },
  );

  test('nesting beyond all sense is 400', async () => {
    for (const [opens, closes] of [
      ['[', ']'],
      ['{"a":', '}'],
    ]) {
      const depth = 50_000;
      const answer = await fetch(`${server.base}/songs`, {
        method: 'POST',
        body: `{"title":${opens.repeat(depth)}1${closes.repeat(depth)}}`,
        headers: { 'Content-Type': 'application/json' },
      });
      expect(answer.status).toBe(400);
    }
  });

  test('a command id that another song has is 409, and one that comes twice 400', async () => {
    const [first, second] = [await server.newSong(), await server.newSong()];
    const command = titled('Here');
    await send(first, 0, [command]);
    expect(await send(second, 0, [command])).toMatchObject({
      status: 409,
      body: { code: 'foreign-command', commandId: command.id },
    });
    const twice = titled('Twice');
    expect((await send(second, 0, [twice, twice])).status).toBe(400);
    expect((await send(second, 0, [twice, { ...twice, id: twice.id.toUpperCase() }])).status).toBe(
      400,
    );
    expect((await send(second, 0, [twice])).status).toBe(200);
  });

  test('a recording that was kept without facts goes into a new song', async () => {
    const recording = (await upload(recordingBytes(900, 0.71))).body as unknown as Recording;
    await server.app
      .get(DataSource)
      .query(`UPDATE recordings SET layout = (layout::jsonb - 'facts')::json WHERE hash = $1`, [
        recording.hash,
      ]);
    const id = await server.newSong();
    const put = { kind: 'put-recording', recording };
    const answer = await send(id, 0, [
      { ...titled('x'), edits: [{ kind: 'set-rate', rateHz: 48_000 }, put] },
    ]);
    expect(answer.status).toBe(200);
  });

  test('the last bytes of a recording that has fewer are all of it (RFC 9110, 14.1.2)', async () => {
    const bytes = recordingBytes(900, 0.72);
    const { hash } = (await upload(bytes)).body as unknown as Recording;
    const answer = await fetch(`${server.base}/recordings/${hash}/audio`, {
      headers: { Range: 'bytes=-999999' },
    });
    expect(answer.status).toBe(206);
    expect((await answer.arrayBuffer()).byteLength).toBe(bytes.length);
  });

  test('a file beyond the largest is refused before it has come', async () => {
    const answer = await new Promise<{ status: number; said: string }>((resolve, reject) => {
      const sent = httpRequest(`${server.base}/recordings?fileName=huge.wav`, {
        method: 'POST',
        headers: { 'Content-Type': 'application/octet-stream', 'Content-Length': 900_000_000 },
      });
      sent.on('error', reject);
      sent.on('response', (response) => {
        let said = '';
        response.on('data', (piece: Buffer) => (said += piece.toString()));
        response.on('end', () => resolve({ status: response.statusCode ?? 0, said }));
      });
      sent.write('RIFF');
    });
    expect(answer).toMatchObject({ status: 413, said: expect.stringMatching(/at most 40 MB/) });
  });
});

describe('a disk that is full', () => {
  const full = new RunningServer({ reserveMb: 1_000_000 });

  test('is said in a sentence; what is small goes on', async () => {
    const refused = await full.upload(recordingBytes(48_000, 0.81));
    expect(refused).toMatchObject({ status: 507, body: { code: 'disk-full' } });
    expect(refused.body.detail).toMatch(/disk of the server is full.*purge/);
    const id = await full.newSong('Still');
    const answer = await full.call('POST', `/songs/${id}/commands`, {
      baseRevision: 0,
      commands: [{ ...titled('Goes on'), id: randomUUID() }],
    });
    expect(answer.status).toBe(200);
  });
});

describe('who asks too often', () => {
  const strict = new RunningServer({ requestsPerMinute: 60 });

  test('is told when to come again, and audio is not counted', async () => {
    const answers = [];
    for (let n = 0; n < 70; n++) answers.push(await strict.call('GET', '/songs'));
    const refused = answers.find(({ status }) => status === 429);
    expect(Number(refused?.headers.get('retry-after'))).toBeGreaterThan(0);
    expect(refused?.body.detail).toMatch(/can be asked again in \d+ s/);
    expect((await strict.call('GET', `/recordings/${'a'.repeat(64)}/audio`)).status).toBe(404);
    expect((await strict.call('GET', '/health')).status).toBe(200);
  });
});
