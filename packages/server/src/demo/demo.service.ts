import { Readable } from 'node:stream';
import { Injectable } from '@nestjs/common';
import { demoEdits, demoRecordings, demoTitle } from '@pannet/core/demo/demo-song';
import type { Recording } from '@pannet/core/song/song';
import { anyone } from '../accounts/visitor.ts';
import { Configuration } from '../configuration/configuration.ts';
import { lockKeys, withDatabaseLock } from '../database/migrate.ts';
import { RecordingsService } from '../recordings/recordings.service.ts';
import { SongsService } from '../songs/songs.service.ts';

/** Puts the demo song into a database that has never had a song. */
@Injectable()
export class DemoService {
  readonly #songs: SongsService;
  readonly #recordings: RecordingsService;

  readonly #databaseUrl: string;

  constructor(songs: SongsService, recordings: RecordingsService, { databaseUrl }: Configuration) {
    this.#songs = songs;
    this.#recordings = recordings;
    this.#databaseUrl = databaseUrl;
  }

  /** @param say told, in a line, what is being done */
  async seed(say: (line: string) => void): Promise<void> {
    // Two servers that start on one empty database must not seed it twice.
    if (await this.#songs.everHadSongs()) return;
    await withDatabaseLock(this.#databaseUrl, lockKeys.seeding, () => this.#seedIfEmpty(say));
  }

  async #seedIfEmpty(say: (line: string) => void): Promise<void> {
    if (await this.#songs.everHadSongs()) return;
    say(`Synthesising the demo song, “${demoTitle}” …`);
    const recordings: Recording[] = [];
    for (const { fileName, bytes } of demoRecordings()) {
      recordings.push(
        await this.#recordings.keep(anyone, Readable.from([Buffer.from(bytes())]), fileName),
      );
      say(`  ${fileName}`);
    }
    await this.#songs.create(anyone, demoTitle, await demoEdits(recordings));
  }
}
