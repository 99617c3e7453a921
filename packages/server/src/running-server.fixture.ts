import 'reflect-metadata';
import { randomUUID } from 'node:crypto';
import { mkdtempSync, rmSync } from 'node:fs';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll } from '@jest/globals';
import type { NestExpressApplication } from '@nestjs/platform-express';
import { wavFile } from '@pannet/core/formats/wav-write';
import pg from 'pg';
import { createServer } from './application.ts';
import { checked } from './configuration/configuration.ts';

export interface Answer {
  readonly status: number;
  readonly type: string | null;
  readonly headers: Headers;
  readonly body: Record<string, unknown>;
}

/** A server for the tests of a file, on a database of its own in the cluster that all of them share. */
export class RunningServer {
  app: NestExpressApplication;
  base = '';
  databaseUrl = '';
  readonly #configuration: object;
  readonly #spool = mkdtempSync(join(tmpdir(), 'pannet-spool-'));

  constructor(configuration: object = {}) {
    this.#configuration = configuration;
    beforeAll(() => this.start());
    afterAll(() => this.stop());
  }

  async start(): Promise<void> {
    const configuration = checked({
      databaseUrl: await freshDatabase(),
      spoolFolder: this.#spool,
      ...this.#configuration,
    });
    this.databaseUrl = configuration.databaseUrl;
    this.app = await createServer(configuration, false);
    await this.app.listen(0, '127.0.0.1');
    this.base = `http://127.0.0.1:${this.port}/api`;
  }

  async stop(): Promise<void> {
    await this.app.close();
    rmSync(this.#spool, { recursive: true, force: true });
  }

  get port(): number {
    return (this.app.getHttpServer().address() as AddressInfo).port;
  }

  async call(
    method: string,
    path: string,
    body?: unknown,
    headers: Record<string, string> = {},
  ): Promise<Answer> {
    return answerOf(
      await fetch(`${this.base}${path}`, {
        method,
        headers: {
          ...(method === 'GET' ? {} : { 'Content-Type': 'application/json' }),
          ...headers,
        },
        ...(method === 'GET' ? {} : { body: JSON.stringify(body ?? {}) }),
      }),
    );
  }

  async upload(
    bytes: Uint8Array,
    fileName = 'take.wav',
    headers: Record<string, string> = {},
  ): Promise<Answer> {
    return answerOf(
      await fetch(`${this.base}/recordings?fileName=${encodeURIComponent(fileName)}`, {
        method: 'POST',
        body: bytes as Uint8Array<ArrayBuffer>,
        headers: { 'Content-Type': 'application/octet-stream', ...headers },
      }),
    );
  }

  async newSong(title = 'Song'): Promise<string> {
    return (await this.call('POST', '/songs', { title })).body.id as string;
  }
}

/** An empty database of an ordinary role. */
export async function freshDatabase(): Promise<string> {
  const url = new URL(process.env.DATABASE_URL as string);
  const name = `tests_${randomUUID().replaceAll('-', '')}`;
  const admin = new pg.Client({ connectionString: process.env.PANNET_TESTS_ADMIN_URL });
  await admin.connect();
  await admin.query(`CREATE DATABASE ${name} OWNER ${url.username}`);
  await admin.end();
  url.pathname = `/${name}`;
  return url.href;
}

async function answerOf(response: Response): Promise<Answer> {
  const text = await response.text();
  const type = response.headers.get('content-type');
  return {
    status: response.status,
    type,
    headers: response.headers,
    body: text && type?.includes('json') ? (JSON.parse(text) as Record<string, unknown>) : {},
  };
}

/** A recording of so many frames; another seed, another file. */
export function recordingBytes(frames: number, seed: number): Uint8Array {
  return wavFile(
    [Float32Array.from({ length: frames }, (_, n) => Math.sin(n * seed) / 2)],
    48_000,
    '24',
  );
}

export const titled = (title: string) => ({
  id: randomUUID(),
  name: `title: ${title}`,
  role: 'do',
  edits: [{ kind: 'set-title', title }],
});
