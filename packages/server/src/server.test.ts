import 'reflect-metadata';
import { createHash, randomUUID } from 'node:crypto';
import { request as httpRequest } from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import type { NestExpressApplication } from '@nestjs/platform-express';
import { wavFile } from '@pannet/core/formats/wav-write';
import { neutralImage } from '@pannet/core/image/image';
import { writeImageFile } from '@pannet/core/image/image-file';
import { neutralPreparation } from '@pannet/core/takes/preparation';
import { newPart } from '@pannet/core/song/song';
import type { Edit } from '@pannet/core/song/edits/edit';
import type { Recording } from '@pannet/core/song/song';
import pg from 'pg';
import { DataSource } from 'typeorm';
import { createServer } from './application.ts';
import { checked } from './configuration/configuration.ts';
import { FairComparison1764200000000 } from './database/migrations/fair-comparison.ts';
import type { OpenedSong } from './songs/songs.service.ts';

let app: NestExpressApplication;
let base: string;

beforeAll(async () => {
  app = await createServer(checked({ databaseUrl: process.env.DATABASE_URL }), false);
  await app.listen(0, '127.0.0.1');
  base = `http://127.0.0.1:${(app.getHttpServer().address() as AddressInfo).port}/api`;
}, 60_000);

afterAll(async () => {
  await app.close();
});

interface Answer {
  readonly status: number;
  readonly type: string | null;
  readonly body: Record<string, unknown>;
}

async function call(method: string, path: string, body?: unknown): Promise<Answer> {
  const response = await fetch(`${base}${path}`, {
    method,
    ...(method === 'GET'
      ? {}
      : { body: JSON.stringify(body ?? {}), headers: { 'Content-Type': 'application/json' } }),
  });
  const text = await response.text();
  return {
    status: response.status,
    type: response.headers.get('content-type'),
    body: text ? (JSON.parse(text) as Record<string, unknown>) : {},
  };
}

async function upload(bytes: Uint8Array, fileName = 'take.wav'): Promise<Answer> {
  const response = await fetch(`${base}/recordings?fileName=${encodeURIComponent(fileName)}`, {
    method: 'POST',
    body: bytes as Uint8Array<ArrayBuffer>,
    headers: { 'Content-Type': 'application/octet-stream' },
  });
  return {
    status: response.status,
    type: response.headers.get('content-type'),
    body: (await response.json()) as Record<string, unknown>,
  };
}

/** A recording of so many frames; another seed, another file. */
function recordingBytes(frames: number, seed: number): Uint8Array {
  return wavFile(
    [Float32Array.from({ length: frames }, (_, n) => Math.sin(n * seed) / 2)],
    48_000,
    '24',
  );
}

const titled = (title: string) => ({
  id: randomUUID(),
  name: `title: ${title}`,
  role: 'do',
  edits: [{ kind: 'set-title', title }],
});

async function newSong(title = 'Song'): Promise<string> {
  return (await call('POST', '/songs', { title })).body.id as string;
}

describe('songs', () => {
  test('begin, are listed, deleted and brought back', async () => {
    const id = await newSong('First');
    expect((await call('GET', `/songs/${id}`)).body).toMatchObject({ revision: 0, log: [] });
    expect((await call('DELETE', `/songs/${id}`)).status).toBe(204);
    expect((await call('GET', `/songs/${id}`)).status).toBe(404);
    expect((await call('POST', `/songs/${id}/restore`)).body).toMatchObject({ title: 'First' });
    const listed = (await call('GET', '/songs')).body as unknown as { id: string }[];
    expect(listed.map((song) => song.id)).toContain(id);
  });

  test('take commands in order and tell them again after a reload, with names and inverses', async () => {
    const id = await newSong();
    const commands = [titled('One'), titled('Two')];
    expect(
      await call('POST', `/songs/${id}/commands`, { baseRevision: 0, commands }),
    ).toMatchObject({
      status: 200,
      body: { revision: 2 },
    });
    const opened = (await call('GET', `/songs/${id}`)).body as unknown as OpenedSong;
    expect(opened.song.title).toBe('Two');
    expect(opened.log.map(({ name }) => name)).toEqual(['title: One', 'title: Two']);
    expect(opened.log[1].inverse).toEqual([{ kind: 'set-title', title: 'One' }]);
  });

  test('take a command once, however often it comes, also beside new ones', async () => {
    const id = await newSong();
    const first = titled('Once');
    const send = (commands: unknown[]) =>
      call('POST', `/songs/${id}/commands`, { baseRevision: 0, commands });
    await send([first]);
    expect((await send([first])).body).toEqual({ revision: 1 });
    // The answer to the first was lost; the client sends it again with the next one, on its old revision.
    expect((await send([first, titled('Then')])).body).toEqual({ revision: 2 });
    const opened = (await call('GET', `/songs/${id}`)).body as unknown as OpenedSong;
    expect(opened.log).toHaveLength(2);
  });

  test('refuse commands that stand on another revision, and say which it is', async () => {
    const id = await newSong();
    await call('POST', `/songs/${id}/commands`, { baseRevision: 0, commands: [titled('Here')] });
    const answer = await call('POST', `/songs/${id}/commands`, {
      baseRevision: 0,
      commands: [titled('There')],
    });
    expect(answer).toMatchObject({ status: 409, body: { code: 'other-revision', revision: 1 } });
    expect(answer.body.detail).toMatch(
      /changed elsewhere: it is at revision 1, the commands stand on 0\.$/,
    );
  });

  test('of many windows at once, one wins each revision and nothing is lost or doubled', async () => {
    const id = await newSong();
    const answers = await Promise.all(
      Array.from({ length: 8 }, (_, n) =>
        call('POST', `/songs/${id}/commands`, {
          baseRevision: 0,
          commands: [titled(`Rival ${n}`)],
        }),
      ),
    );
    expect(answers.filter(({ status }) => status === 200)).toHaveLength(1);
    expect(answers.filter(({ status }) => status === 409)).toHaveLength(7);
    expect((await call('GET', `/songs/${id}`)).body).toMatchObject({ revision: 1 });
  });

  test('apply all commands of a request or none', async () => {
    const id = await newSong('Whole');
    const bad = {
      id: randomUUID(),
      name: 'bad',
      role: 'do',
      edits: [{ kind: 'remove-part', partId: 'x' }],
    };
    const answer = await call('POST', `/songs/${id}/commands`, {
      baseRevision: 0,
      commands: [titled('Half'), bad],
    });
    expect(answer).toMatchObject({
      status: 422,
      type: expect.stringContaining('application/problem+json'),
    });
    expect(answer.body).toMatchObject({
      commandId: bad.id,
      place: 'edits[0].partId',
      title: 'Unprocessable Entity',
    });
    expect((await call('GET', `/songs/${id}`)).body).toMatchObject({
      revision: 0,
      song: { title: 'Whole' },
    });
  });

  test.each<[string, unknown, RegExp]>([
    ['no commands', { baseRevision: 0, commands: [] }, /“commands”/],
    [
      'a broken id',
      { baseRevision: 0, commands: [{ ...titled('x'), id: 'x' }] },
      /“commands\[0\]\.id”.*UUID/,
    ],
    [
      'a strange role',
      { baseRevision: 0, commands: [{ ...titled('x'), role: 'maybe' }] },
      /“commands\[0\]\.role”/,
    ],
    ['an unknown key', { baseRevision: 0, commands: [titled('x')], more: 1 }, /“more”/],
    ['half a revision', { baseRevision: 0.5, commands: [titled('x')] }, /“baseRevision”/],
  ])('refuse a request with %s in a sentence', async (_, body, sentence) => {
    const id = await newSong();
    const answer = await call('POST', `/songs/${id}/commands`, body);
    expect(answer.status).toBe(400);
    expect(answer.body.detail).toMatch(sentence);
  });

  test.each<[string, unknown]>([
    ['an edit of no kind', { kind: 'paint' }],
    ['an image without voices', { kind: 'set-image', partId: 'p', image: {} }],
    ['a part that is a number', { kind: 'add-part', part: 5, index: 0 }],
    ['a recording of nothing', { kind: 'put-recording' }],
  ])('refuse %s without falling over', async (_, edit) => {
    const id = await newSong();
    const command = { ...titled('x'), edits: [edit] };
    const answer = await call('POST', `/songs/${id}/commands`, {
      baseRevision: 0,
      commands: [command],
    });
    expect(answer.status).toBe(422);
    expect(answer.body.detail).toMatch(/\.$/);
  });

  test('only name recordings that are kept, as they are', async () => {
    const id = await newSong();
    const recording = (await upload(recordingBytes(900, 0.11))).body as unknown as Recording;
    const put = (kept: Recording) =>
      call('POST', `/songs/${id}/commands`, {
        baseRevision: 0,
        commands: [
          {
            ...titled('x'),
            edits: [
              { kind: 'set-rate', rateHz: 48_000 },
              { kind: 'put-recording', recording: kept },
            ],
          },
        ],
      });
    expect((await put({ ...recording, hash: '0'.repeat(64) })).status).toBe(422);
    expect((await put({ ...recording, frames: 9_000_000 })).body).toMatchObject({
      code: 'unknown-recording',
    });
    expect((await put(recording)).status).toBe(200);
  });

  test('a part goes in and comes out of the database unchanged', async () => {
    const id = await newSong();
    const recording = (await upload(recordingBytes(900, 0.12))).body as unknown as Recording;
    const image = neutralImage();
    const part = newPart('p', 'P', 'voice', [{ recording: recording.hash, channel: 0 }], {
      levelDb: -3.1,
      image: {
        ...image,
        voices: [{ ...image.voices[0], delay: { value: 0.1 + 0.2, unit: 'ms' as const } }],
      },
    });
    const edits: Edit[] = [
      { kind: 'set-rate', rateHz: 48_000 },
      { kind: 'put-recording', recording },
      { kind: 'add-part', part, index: 0 },
    ];
    await call('POST', `/songs/${id}/commands`, {
      baseRevision: 0,
      commands: [{ ...titled('x'), edits }],
    });
    const opened = (await call('GET', `/songs/${id}`)).body as unknown as OpenedSong;
    expect(opened.song.parts.p).toEqual(part);
    expect(JSON.stringify(opened.song.parts.p)).toBe(JSON.stringify(part));
  });

  test('what is taken can be opened: what is left out has its default, what has another shape is refused', async () => {
    const id = await newSong();
    const recording = (await upload(recordingBytes(900, 0.14))).body as unknown as Recording;
    const part = newPart('p', 'P', 'voice', [{ recording: recording.hash, channel: 0 }]);
    const send = (baseRevision: number, ...edits: unknown[]) =>
      call('POST', `/songs/${id}/commands`, {
        baseRevision,
        commands: [{ ...titled('x'), edits }],
      });
    const begun = await send(
      0,
      { kind: 'set-rate', rateHz: 48_000 },
      { kind: 'put-recording', recording },
      { kind: 'add-part', part, index: 0 },
    );
    expect(begun.status).toBe(200);
    const { compressor, ...preparation } = part.preparation;
    expect((await send(1, { kind: 'set-preparation', partId: 'p', preparation })).status).toBe(200);
    const opened = (await call('GET', `/songs/${id}`)).body as unknown as OpenedSong;
    expect(opened.song.parts.p.preparation.compressor).toEqual(compressor);
    for (const edit of [
      { kind: 'add-part', index: 1, part: { ...part, id: { a: 1 } } },
      { kind: 'add-part', index: 1, part: { ...part, id: 'q', reverb: 1 } },
      { kind: 'set-part', partId: 'p', changes: { toggleKey: ['q'] } },
      { kind: 'put-recording', recording: { ...recording, frames: -1 } },
    ]) {
      const answer = await send(2, edit);
      expect(answer.status).toBe(422);
      expect(answer.body.detail).toMatch(/\.$/);
    }
    expect((await call('GET', `/songs/${id}`)).status).toBe(200);
  });

  test('their edits stand in the API documents as the core describes them', async () => {
    const { status, body } = await call('GET', '/openapi.json');
    expect(status).toBe(200);
    const text = JSON.stringify(body);
    for (const said of [
      '"set-voice"',
      '"Position, %"',
      '"Tuning, cents"',
      '"Low cut, Hz; null for off"',
    ])
      expect(text).toContain(said);
  });

  test('whose logs are of an older format have them brought up, so that their steps can be taken back', async () => {
    const id = await newSong();
    const recording = (await upload(recordingBytes(900, 0.13))).body as unknown as Recording;
    const part = newPart('p', 'P', 'voice', [{ recording: recording.hash, channel: 0 }]);
    const adding: Edit[] = [
      { kind: 'set-rate', rateHz: 48_000 },
      { kind: 'put-recording', recording },
      { kind: 'add-part', part, index: 0 },
    ];
    const steps = [adding, [{ kind: 'remove-part', partId: 'p' }]];
    await call('POST', `/songs/${id}/commands`, {
      baseRevision: 0,
      commands: steps.map((edits) => ({ ...titled('x'), edits })),
    });
    const runner = app.get(DataSource).createQueryRunner();
    try {
      // As format 2 kept them: parts knew neither of a plain voice nor of a key.
      for (const column of ['edits', 'inverse'])
        await runner.query(
          `UPDATE commands SET ${column} = (
            SELECT jsonb_agg((each #- '{part,plainVoice}') #- '{part,toggleKey}')::json
            FROM jsonb_array_elements(${column}::jsonb) AS each
          ) WHERE song_id = $1`,
          [id],
        );
      const logOf = async () =>
        ((await call('GET', `/songs/${id}`)).body as unknown as OpenedSong).log;
      const addedPart = (edits: readonly Edit[]) => {
        const added = edits.find(({ kind }) => kind === 'add-part');
        return added?.kind === 'add-part' ? added.part : null;
      };
      expect(addedPart((await logOf())[0].edits)).not.toHaveProperty('plainVoice');
      await new FairComparison1764200000000().up(runner);
      const [first, second] = await logOf();
      expect(addedPart(first.edits)).toEqual(part);
      expect(addedPart(second.inverse)).toEqual(part);
      const undo = { ...titled('x'), role: 'undo', edits: second.inverse };
      const answer = await call('POST', `/songs/${id}/commands`, {
        baseRevision: 2,
        commands: [undo],
      });
      expect(answer.status).toBe(200);
      const { song } = (await call('GET', `/songs/${id}`)).body as unknown as OpenedSong;
      expect(song.parts.p).toEqual(part);
    } finally {
      await runner.release();
    }
  });

  test('are not found in a sentence', async () => {
    const answer = await call('GET', `/songs/${randomUUID()}`);
    expect(answer).toMatchObject({
      status: 404,
      body: { detail: 'There is no such song; it may have been deleted.' },
    });
  });
});

describe('recipes', () => {
  const image = neutralImage();
  const file = writeImageFile({
    name: null,
    panLaw: '-4.5',
    preparation: { ...neutralPreparation, lowCutHz: 90 },
    image: { ...image, voices: [{ ...image.voices[0], delay: { value: 12, unit: 'ms' } }] },
  });
  const names = async () =>
    ((await call('GET', '/recipes')).body as unknown as { name: string }[]).map(({ name }) => name);

  test('are kept under their names as image files, once, and removed', async () => {
    const id = randomUUID();
    expect((await call('POST', '/recipes', { id, name: ' Twelve late ', file })).status).toBe(201);
    await call('POST', '/recipes', { id, name: 'Again', file });
    expect(await names()).toEqual(['Twelve late']);
    const [kept] = (await call('GET', '/recipes')).body as unknown as { file: object }[];
    expect(kept.file).toEqual({ ...file, name: 'Twelve late' });
    expect((await call('DELETE', `/recipes/${id}`)).status).toBe(204);
    expect(await names()).toEqual([]);
    expect((await call('DELETE', `/recipes/${id}`)).body.detail).toMatch(/no such recipe/);
  });

  test.each<[string, object, RegExp]>([
    ['a file that is no image', { name: 'A', file: { format: 'cake' } }, /not an image file/],
    ['a delay out of range', { name: 'A', file: { ...file, voices: [{ delay: 900 }] } }, /900/],
    ['a name of blanks', { name: '  ', file }, /1 to 80/],
    ['no file', { name: 'A' }, /file/],
  ])('refuse %s with a sentence', async (_, body, sentence) => {
    const answer = await call('POST', '/recipes', { id: randomUUID(), ...body });
    expect([400, 422]).toContain(answer.status);
    expect(answer.body.detail).toMatch(sentence);
    expect(await names()).toEqual([]);
  });
});

describe('recordings', () => {
  const bytes = recordingBytes(300_000, 0.013);
  const hash = createHash('sha256').update(bytes).digest('hex');
  const range = (value: string) =>
    fetch(`${base}/recordings/${hash}/audio`, { headers: { Range: value } });

  test('are kept byte for byte under their hash, once', async () => {
    const kept = await upload(bytes, 'ümlaut.wav');
    expect(kept).toMatchObject({
      status: 201,
      body: { hash, fileName: 'ümlaut.wav', frames: 300_000, rateHz: 48_000, channels: 1 },
    });
    expect((await upload(bytes, 'again.wav')).body).toMatchObject({ hash, fileName: 'again.wav' });
    const back = await fetch(`${base}/recordings/${hash}/audio`);
    expect(
      createHash('sha256')
        .update(Buffer.from(await back.arrayBuffer()))
        .digest('hex'),
    ).toBe(hash);
    const client = new pg.Client({ connectionString: process.env.DATABASE_URL });
    await client.connect();
    const rows = await client.query(
      'SELECT count(*)::int AS chunks FROM recording_chunks c JOIN recordings r ON r.id = c.recording_id WHERE r.hash = $1',
      [hash],
    );
    const orphans = await client.query(
      'SELECT 1 FROM recording_chunks WHERE recording_id NOT IN (SELECT id FROM recordings)',
    );
    await client.end();
    expect(rows.rows[0]).toEqual({ chunks: Math.ceil(bytes.length / 262_144) });
    expect(orphans.rowCount).toBe(0);
  });

  test.each([
    ['bytes=0-99', 0, 100],
    ['bytes=262100-262200', 262_100, 262_201],
    ['bytes=262144-524287', 262_144, 524_288],
    ['bytes=100-800000', 100, 800_001],
    ['bytes=-50', bytes.length - 50, bytes.length],
    ['bytes=900000-', 900_000, bytes.length],
  ])('are served by range (RFC 9110): %s', async (value, start, end) => {
    const answer = await range(value);
    expect(answer.status).toBe(206);
    expect(answer.headers.get('content-range')).toBe(`bytes ${start}-${end - 1}/${bytes.length}`);
    expect(
      Buffer.from(await answer.arrayBuffer()).equals(Buffer.from(bytes.subarray(start, end))),
    ).toBe(true);
  });

  test('are served several ranges at once, in the order asked for', async () => {
    const other = recordingBytes(50_000, 0.019);
    const otherHash = (await upload(other)).body.hash as string;
    const ask = (ranges: unknown) =>
      fetch(`${base}/recordings/ranges`, {
        method: 'POST',
        body: JSON.stringify({ ranges }),
        headers: { 'Content-Type': 'application/json' },
      });
    const answer = await ask([
      { hash: otherHash, start: 100, end: 300 },
      { hash, start: 262_000, end: 530_000 },
      { hash: otherHash, start: 0, end: 50 },
    ]);
    expect(answer.status).toBe(200);
    const expected = Buffer.concat([
      other.subarray(100, 300),
      bytes.subarray(262_000, 530_000),
      other.subarray(0, 50),
    ]);
    expect(Buffer.from(await answer.arrayBuffer()).equals(expected)).toBe(true);
    expect((await ask([{ hash, start: 5, end: 9_000_000 }])).status).toBe(416);
    expect((await ask([{ hash: 'f'.repeat(64), start: 0, end: 1 }])).status).toBe(404);
    expect((await ask([{ hash: 'x', start: 0, end: 1 }])).status).toBe(400);
    expect((await ask([])).status).toBe(400);
  });

  test('refuse a range outside, and answer a strange one with the whole', async () => {
    const outside = await range('bytes=5000000-');
    expect(outside.status).toBe(416);
    expect(outside.headers.get('content-range')).toBe(`bytes */${bytes.length}`);
    expect((await range('lines=1-2')).status).toBe(200);
    expect((await fetch(`${base}/recordings/${'a'.repeat(64)}/audio`)).status).toBe(404);
    expect((await fetch(`${base}/recordings/x;DROP/audio`)).status).toBe(404);
  });

  test.each<[string, Uint8Array, RegExp]>([
    [
      'an MP3',
      Uint8Array.of(...Buffer.from('ID3'), ...new Uint8Array(500)),
      /“x\.wav” is not a WAV file/,
    ],
    ['nothing', new Uint8Array(0), /is empty/],
    [
      'a truncated file',
      bytes.subarray(0, 400_000),
      /promises 900000 bytes of audio, 399932 are there/,
    ],
  ])('refuse %s with a sentence and keep nothing of it', async (_, refused, sentence) => {
    const answer = await upload(refused, 'x.wav');
    expect(answer.status).toBe(422);
    expect(answer.body.detail).toMatch(sentence);
    const lost = createHash('sha256').update(refused).digest('hex');
    expect((await fetch(`${base}/recordings/${lost}/audio`)).status).toBe(404);
  });

  test('an upload that breaks off leaves nothing, and the server goes on', async () => {
    const broken = recordingBytes(400_000, 0.017);
    const lost = createHash('sha256').update(broken).digest('hex');
    await new Promise<void>((resolve) => {
      const sent = httpRequest(`${base}/recordings?fileName=broken.wav`, {
        method: 'POST',
        headers: { 'Content-Type': 'application/octet-stream', 'Content-Length': broken.length },
      });
      sent.on('error', () => resolve());
      sent.write(broken.subarray(0, 700_000), () =>
        setTimeout(() => sent.destroy(new Error('gone')), 50),
      );
    });
    expect((await fetch(`${base}/recordings/${lost}/audio`)).status).toBe(404);
    expect((await call('GET', '/health')).body).toMatchObject({ status: 'ok' });
    expect((await upload(broken)).body).toMatchObject({ hash: lost });
  });

  test('a listener that goes away in the middle does not hold a connection', async () => {
    for (let n = 0; n < 20; n++) {
      const stop = new AbortController();
      const answer = await fetch(`${base}/recordings/${hash}/audio`, { signal: stop.signal });
      await answer.body?.getReader().read();
      stop.abort();
    }
    expect((await range('bytes=0-9')).status).toBe(206);
  });

  test('need a file name', async () => {
    const answer = await fetch(`${base}/recordings`, { method: 'POST', body: 'x' });
    expect(answer.status).toBe(400);
  });
});

test('health and OpenAPI are served', async () => {
  expect((await call('GET', '/health')).body).toMatchObject({
    status: 'ok',
    memoryBytes: expect.any(Number),
  });
  const { body } = await call('GET', '/openapi.json');
  expect(Object.keys(body.paths as object)).toEqual(
    expect.arrayContaining([
      '/api/songs',
      '/api/songs/{id}/commands',
      '/api/recordings',
      '/api/recordings/{hash}/audio',
      '/api/health',
    ]),
  );
});
