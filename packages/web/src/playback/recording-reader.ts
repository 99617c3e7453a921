import { decodeChannel } from '@pannet/core/formats/wav-read';
import type { Recording } from '@pannet/core/song/song';
import { blockFrames, type BlockLoader } from '@pannet/core/sources/blocks';
import { fileHere, findFileHere, lostHere } from '../api/files-here.ts';
import { rangesPath } from '../api/recordings.ts';

interface ByteRange {
  readonly hash: string;
  readonly start: number;
  /** Exclusive. */
  readonly end: number;
}

/** So many blocks go into one request, and so many requests are under way. */
const mostRanges = 32;
const mostRequests = 2;

/** So long it is tried again while the server is gone or busy. */
const patienceMs = 120_000;
/** What a later try may bring: the server was gone, timed out, or has too much to do. */
const mayPass = (status: number) =>
  status === 0 || status === 408 || status === 429 || status >= 500;

/** One of the recordings is not on the server, or not yet. */
class NotKept extends Error {}

/**
 * Fetches ranges of several recordings in one answer; tries again while the server is gone, a little later each time, and
 * gives up after two minutes. What the server refuses is not asked for again. What comes short is, whatever the reason.
 */
async function patientFetch(ranges: readonly ByteRange[]): Promise<Uint8Array> {
  const total = ranges.reduce((sum, { start, end }) => sum + end - start, 0);
  let waited = 0;
  for (let wait = 100; ; wait = Math.min(5000, wait * 2)) {
    const response = await fetch(rangesPath, {
      method: 'POST',
      body: JSON.stringify({ ranges }),
      headers: { 'Content-Type': 'application/json' },
      cache: 'no-store',
    }).catch(() => null);
    const status = response?.status ?? 0;
    if (response?.status === 200) {
      const bytes = await response.arrayBuffer().catch(() => null);
      if (bytes?.byteLength === total) return new Uint8Array(bytes);
    } else if (status === 404) {
      throw new NotKept('A recording of this song is not on the server.');
    } else if (!mayPass(status)) {
      throw new Error(`The server does not give a recording of this song (it answered ${status}).`);
    }
    if (waited >= patienceMs)
      throw new Error('The server has not given a recording of this song for two minutes.');
    await new Promise((resolve) => setTimeout(resolve, wait));
    waited += wait;
  }
}

interface Waiting {
  readonly range: ByteRange;
  readonly resolve: (bytes: Uint8Array) => void;
  readonly reject: (error: unknown) => void;
}

/** Reads from a file that has yet to be sent; null where that is gone. */
async function readHere(file: Blob, { hash, start, end }: ByteRange): Promise<Uint8Array | null> {
  try {
    return new Uint8Array(await file.slice(start, end).arrayBuffer());
  } catch {
    lostHere(hash);
    return null;
  }
}

/**
 * Settles all that wait. Of recordings that the server lacks, those are read here that are still to be sent; what is here no
 * longer may have come to the server meanwhile, which is asked once more.
 */
async function answerAll(batch: readonly Waiting[], again = false): Promise<void> {
  try {
    const bytes = await patientFetch(batch.map(({ range }) => range));
    let at = 0;
    for (const { range, resolve } of batch) {
      const length = range.end - range.start;
      resolve(bytes.subarray(at, at + length));
      at += length;
    }
  } catch (error) {
    const hashes = [...new Set(batch.map(({ range }) => range.hash))];
    if (error instanceof NotKept && hashes.length > 1) {
      // Where it lacks one the server says no to all.
      const ofOne = (hash: string) => batch.filter(({ range }) => range.hash === hash);
      await Promise.all(hashes.map((hash) => answerAll(ofOne(hash), again)));
      return;
    }
    const mayHaveCome = error instanceof NotKept && !again;
    const file = mayHaveCome ? await findFileHere(hashes[0]) : null;
    const left: Waiting[] = [];
    for (const waiting of batch) {
      const bytes = file && (await readHere(file, waiting.range));
      if (bytes) waiting.resolve(bytes);
      else if (mayHaveCome) left.push(waiting);
      else waiting.reject(error);
    }
    if (left.length > 0) await answerAll(left, true);
  }
}

/**
 * Reads blocks of recordings from the server, each fetched and decoded once for both of its channels, and keeps the
 * ones used last within a bound. Blocks that are asked for together travel together.
 */
export class RecordingReader {
  readonly #mostBytes: number;
  readonly #ahead: number;
  readonly #recordings = new Map<string, Recording>();
  /** In the order of last use. */
  readonly #kept = new Map<string, Promise<readonly Float32Array[]>>();
  #keptBytes = 0;
  readonly #waiting: Waiting[] = [];
  #requests = 0;

  /**
   * @param mostBytes of what is kept
   * @param ahead so many blocks after the one that was asked for are fetched as well: for whoever reads a take through, and
   * would wait for an answer with each block
   */
  constructor(mostBytes: number, ahead = 0) {
    this.#mostBytes = mostBytes;
    this.#ahead = ahead;
  }

  know(recordings: Readonly<Record<string, Recording>> | readonly Recording[]): void {
    for (const recording of Object.values(recordings))
      this.#recordings.set(recording.hash, recording);
  }

  readonly load: BlockLoader = async (source, index) => {
    const [hash, channel] = source.key.split(':');
    const recording = this.#recordings.get(hash);
    if (!recording) throw new Error(`Recording ${hash} is not known here.`);
    const block = this.#block(recording, index);
    this.#forget();
    const channels = await block;
    // Only now, so that what is wanted does not wait for what may be.
    this.#readAhead(recording, index);
    return channels[Number(channel)];
  };

  #block(recording: Recording, index: number): Promise<readonly Float32Array[]> {
    const key = keyOf(recording, index);
    let block = this.#kept.get(key);
    if (block) {
      this.#kept.delete(key);
    } else {
      block = this.#fetch(recording, index);
      this.#keptBytes += bytesOf(recording);
      block.catch(() => this.#drop(key));
    }
    this.#kept.set(key, block);
    return block;
  }

  /** Once half of what was fetched ahead is used up, so that the next is there before it is wanted. */
  #readAhead(recording: Recording, index: number): void {
    const last = Math.ceil(recording.frames / blockFrames) - 1;
    const half = Math.min(last, index + Math.ceil(this.#ahead / 2));
    if (this.#kept.has(keyOf(recording, half))) return;
    for (let next = index + 1; next <= Math.min(last, index + this.#ahead); next++)
      if (!this.#kept.has(keyOf(recording, next))) void this.#block(recording, next);
  }

  async #fetch(recording: Recording, index: number): Promise<readonly Float32Array[]> {
    const first = index * blockFrames;
    const count = Math.min(blockFrames, recording.frames - first);
    const start = recording.dataOffset + first * recording.bytesPerFrame;
    const range = { hash: recording.hash, start, end: start + count * recording.bytesPerFrame };
    const here = fileHere(recording.hash);
    const bytes = (here && (await readHere(here, range))) ?? (await this.#ask(range));
    return Array.from({ length: recording.channels }, (_, n) => decodeChannel(bytes, recording, n));
  }

  #ask(range: ByteRange): Promise<Uint8Array> {
    return new Promise((resolve, reject) => {
      this.#waiting.push({ range, resolve, reject });
      // After this turn, when all that is asked for together has been.
      void Promise.resolve().then(() => this.#send());
    });
  }

  async #send(): Promise<void> {
    if (this.#requests >= mostRequests || this.#waiting.length === 0) return;
    const batch = this.#waiting.splice(0, mostRanges);
    this.#requests++;
    await answerAll(batch);
    this.#requests--;
    void this.#send();
  }

  #forget(): void {
    for (const key of this.#kept.keys()) {
      if (this.#keptBytes <= this.#mostBytes) return;
      this.#drop(key);
    }
  }

  #drop(key: string): void {
    const recording = this.#recordings.get(key.split('/')[0]);
    if (this.#kept.delete(key) && recording) this.#keptBytes -= bytesOf(recording);
  }
}

function keyOf({ hash }: Recording, index: number): string {
  return `${hash}/${index}`;
}

/** Of one decoded block, all channels. */
function bytesOf(recording: Recording): number {
  return blockFrames * Float32Array.BYTES_PER_ELEMENT * recording.channels;
}
