import { randomUUID } from 'node:crypto';
import { setTimeout as wait } from 'node:timers/promises';
import { chmodSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { ChildProcess } from 'node:child_process';
import { startCluster, freePort, type Cluster } from '@pannet/launcher/postgres';
import { startServerProcess, stopServerProcess } from '@pannet/launcher/server-process';

/** What is attacked: a cluster and a server of their own, on loopback and in a folder that is gone afterwards. */
export class Target {
  readonly folder: string;
  readonly #own: boolean;
  cluster!: Cluster;
  server!: ChildProcess;
  port = 0;
  faults: string[] = [];
  #lastLine = '';

  constructor(folder?: string) {
    this.#own = folder === undefined;
    this.folder = folder ?? mkdtempSync(join(tmpdir(), 'pannet-attack-'));
    chmodSync(this.folder, 0o755);
  }

  get base(): string {
    return `http://127.0.0.1:${this.port}`;
  }

  async start(demo: boolean): Promise<void> {
    this.cluster = await startCluster(this.folder);
    this.port = await freePort();
    await this.startServer(demo);
  }

  async startServer(demo = false): Promise<void> {
    this.server = await startServerProcess({
      databaseUrl: await this.cluster.database('pannet'),
      port: this.port,
      demo,
      environment: {
        PANNET_RATE: '10000000',
        PANNET_SPOOL: join(this.folder, 'uploads'),
        PANNET_PATIENCE_S: '5',
      },
      say: (line) => {
        // A stack is a bug, whoever caused it.
        if (!/^\s+at /.test(line)) this.#lastLine = line;
        else if (this.#lastLine) {
          this.faults.push(`${this.#lastLine.trim()} (${line.trim()})`);
          this.#lastLine = '';
        }
      },
    });
  }

  async stop(): Promise<void> {
    await stopServerProcess(this.server);
    await this.cluster.stop();
    if (this.#own) rmSync(this.folder, { recursive: true, force: true });
  }

  /** As the page does: what crawls is cut off, also where it is this process that has no time to send it, and sent again. */
  #sent(path: string, request: RequestInit): Promise<Response> {
    const send = () => fetch(`${this.base}${path}`, request);
    return send().catch(() => wait(1000).then(send));
  }

  async post<Answer>(path: string, body: unknown): Promise<{ status: number; body: Answer }> {
    const response = await this.#sent(`/api${path}`, {
      method: 'POST',
      headers: { 'Content-Type': 'application/json' },
      body: typeof body === 'string' ? body : JSON.stringify(body),
    });
    const text = await response.text();
    return { status: response.status, body: (text ? JSON.parse(text) : {}) as Answer };
  }

  async get<Answer>(path: string): Promise<Answer> {
    return (await (await fetch(`${this.base}/api${path}`)).json()) as Answer;
  }

  async upload(
    bytes: Uint8Array,
    fileName: string,
  ): Promise<{ status: number; body: { hash: string } }> {
    const response = await this.#sent(`/api/recordings?fileName=${encodeURIComponent(fileName)}`, {
      method: 'POST',
      headers: { 'Content-Type': 'application/octet-stream' },
      body: bytes as Uint8Array<ArrayBuffer>,
    });
    return { status: response.status, body: (await response.json()) as { hash: string } };
  }

  async newSong(title: string): Promise<string> {
    return (await this.post<{ id: string }>('/songs', { title })).body.id;
  }
}

export const titled = (title: string) => ({
  id: randomUUID(),
  name: title,
  role: 'do',
  edits: [{ kind: 'set-title', title }],
});

export function said(name: string, what: string): void {
  console.log(`${name.padEnd(44)} ${what}`);
}

export function quantile(values: readonly number[], share: number): number {
  const sorted = [...values].sort((a, b) => a - b);
  return sorted[Math.min(sorted.length - 1, Math.floor(share * sorted.length))] ?? 0;
}
