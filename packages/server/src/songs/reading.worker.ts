import { parentPort } from 'node:worker_threads';
import type { Outcome } from '@pannet/core/outcome';
import { readSong } from '@pannet/core/song/saved-song';

/** A saved document to be read. */
export interface ReadingRequest {
  readonly id: number;
  readonly text: string;
}

/** The document as this version writes it, as UTF-8, or why it cannot be read. */
export interface ReadingAnswer {
  readonly id: number;
  readonly outcome: Outcome<Uint8Array>;
}

const encoder = new TextEncoder();

parentPort?.on('message', ({ id, text }: ReadingRequest) => {
  const song = readSong(JSON.parse(text));
  const outcome: Outcome<Uint8Array> = song.ok
    ? { ok: true, value: encoder.encode(JSON.stringify(song.value)) }
    : song;
  const answer: ReadingAnswer = { id, outcome };
  parentPort?.postMessage(answer, outcome.ok ? [outcome.value.buffer as ArrayBuffer] : []);
});
