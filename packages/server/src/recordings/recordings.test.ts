import { createHash } from 'node:crypto';
import { request as httpRequest } from 'node:http';
import { beforeAll, describe, expect, test } from '@jest/globals';
import pg from 'pg';
import { recordingBytes, RunningServer } from '../running-server.fixture.ts';

const server = new RunningServer();
const call = server.call.bind(server);
const upload = server.upload.bind(server);
let base: string;
beforeAll(() => {
  base = server.base;
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
    const client = new pg.Client({ connectionString: server.databaseUrl });
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
    const answer = await fetch(`${base}/recordings`, {
      method: 'POST',
      body: 'x',
      headers: { 'Content-Type': 'application/octet-stream' },
    });
    expect(answer.status).toBe(400);
  });
});
