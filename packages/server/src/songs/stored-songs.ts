import { Injectable } from '@nestjs/common';
import { readSong } from '@pannet/core/song/saved-song';
import type { Song } from '@pannet/core/song/song';
import { LRUCache } from 'lru-cache';
import { DataSource } from 'typeorm';
import { noSong } from '../accounts/song-access.ts';
import { Problem } from '../problems/problem.ts';
import { DocumentReader } from './document-reader.ts';
import { logPageText } from './song-log.ts';

/** Which state of a song something is of. A restored backup may have the same revision with something else in it. */
export interface SongVersion {
  readonly id: string;
  readonly revision: number;
  readonly updatedAt: Date;
}

export interface StoredSong {
  readonly version: SongVersion;
  readonly song: Song;
}

interface Remembered extends StoredSong {
  readonly letters: number;
}

/** Documents of so many letters are read here; larger ones in a thread of their own. */
const maxReadHere = 100_000;
/** Letters of all documents that are remembered, so that they are not read again while they are worked on. */
const maxRememberedLetters = 24_000_000;
/** Bytes of answers that are kept for whoever opens the same state of a song. */
const maxAnswerBytes = 48_000_000;

export function keyOf({ id, revision, updatedAt }: SongVersion): string {
  return `${id} ${revision} ${updatedAt.getTime()}`;
}

/** Songs as the database has them, read by their description. Large ones never keep other requests waiting. */
@Injectable()
export class StoredSongs {
  readonly #data: DataSource;
  readonly #reader: DocumentReader;
  /** By song: its newest state that was read. */
  readonly #read = new LRUCache<string, Remembered>({
    maxSize: maxRememberedLetters,
    sizeCalculation: ({ letters }) => letters + 1000,
  });
  /** By state. Many who open one song at once wait for the same answer. */
  readonly #answers = new LRUCache<string, Buffer, SongVersion>({
    maxSize: maxAnswerBytes,
    sizeCalculation: ({ length }) => length,
    fetchMethod: (_key, _stale, { context }) => this.#answer(context),
  });

  constructor(data: DataSource, reader: DocumentReader) {
    this.#data = data;
    this.#reader = reader;
  }

  /** The song as it is now. @throws Problem 404 where there is none, 409 where it cannot be read */
  async current(id: string): Promise<StoredSong> {
    const version = await this.version(id);
    const remembered = this.#read.get(id);
    if (remembered && keyOf(remembered.version) === keyOf(version)) return remembered;
    return this.#load(id);
  }

  /** @throws Problem 404 */
  async version(id: string): Promise<SongVersion> {
    const [row] = (await this.#data.query(
      `SELECT id, revision, updated_at AS "updatedAt" FROM songs WHERE id = $1 AND deleted_at IS NULL`,
      [id],
    )) as SongVersion[];
    if (!row) throw noSong();
    return row;
  }

  async #load(id: string): Promise<StoredSong> {
    const [row] = (await this.#data.query(
      `SELECT id, revision, updated_at AS "updatedAt", document::text AS text FROM songs
       WHERE id = $1 AND deleted_at IS NULL`,
      [id],
    )) as (SongVersion & { readonly text: string })[];
    if (!row) throw noSong();
    const { text, ...version } = row;
    const song = await this.#parsed(text);
    this.remember(version, song, text.length);
    return { version, song };
  }

  async #parsed(text: string): Promise<Song> {
    if (text.length <= maxReadHere) {
      const song = readSong(JSON.parse(text));
      if (!song.ok) throw new Problem(409, song.error);
      return song.value;
    }
    const read = await this.#reader.read(text);
    if (!read.ok) throw new Problem(409, read.error);
    return JSON.parse(Buffer.from(read.value).toString('utf8')) as Song;
  }

  remember(version: SongVersion, song: Song, letters: number): void {
    this.#read.set(version.id, { version, song, letters });
  }

  forget(id: string): void {
    this.#read.delete(id);
  }

  /**
   * What an opened song tells of its document and log, as JSON without its opening brace: one buffer for all who ask.
   * @throws Problem 404, 409
   */
  async opened(id: string): Promise<Buffer> {
    const version = await this.version(id);
    const answer = await this.#answers.fetch(keyOf(version), { context: version });
    if (!answer) throw new Error('An answer was given up.');
    return answer;
  }

  async #answer({ id }: SongVersion): Promise<Buffer> {
    const { song, version } = await this.current(id);
    const page = await logPageText(this.#data.manager, id, version.revision);
    return Buffer.from(
      `"song":${JSON.stringify(song)},"revision":${version.revision},"log":[${page.log.join(',')}],"earlier":${page.earlier}}`,
    );
  }
}
