import { isDeepStrictEqual } from 'node:util';
import { randomUUID } from 'node:crypto';
import { Injectable } from '@nestjs/common';
import { expectSuccess } from '@pannet/core/outcome';
import { apply, type Command } from '@pannet/core/song/commands';
import type { Edit } from '@pannet/core/song/edits/edit';
import { emptySong, type Song } from '@pannet/core/song/song';
import { DataSource } from 'typeorm';
import { ownerOf, type Visitor } from '../accounts/visitor.ts';
import { databaseBusy } from '../problems/failing.ts';
import { Problem } from '../problems/problem.ts';
import type { RecordingEntity } from '../recordings/recording.entity.ts';
import { RecordingsService } from '../recordings/recordings.service.ts';
import { noSong, SongAccess, type Right } from '../accounts/song-access.ts';
import { SongEntity } from './song.entity.ts';
import { appendToLog, findInLogs, logPage, type LogPage, type LogRow } from './song-log.ts';
import { keyOf, StoredSongs, type SongVersion } from './stored-songs.ts';
import { Work } from './work.ts';

export interface SongSummary {
  readonly id: string;
  readonly title: string;
  readonly revision: number;
  readonly parts: number;
  readonly updatedAt: string;
  /** What the one who asks may do with it. */
  readonly may: Right;
  /** Name of the account that it belongs to; null without accounts. */
  readonly owner: string | null;
}

/** The document, and the newest commands of its log: enough for undo and redo with their names. */
export interface OpenedSong extends LogPage {
  readonly song: Song;
  readonly revision: number;
  readonly may: Right;
}

/** Letters of one edit: nothing else is answered while it is read. */
const maxEditLetters = 1_000_000;
/** What one step may leave in the log: taken back it may be far larger than it was. */
const mostLoggedBytes = 20_000_000;
/** So often a song is looked at anew because somebody wrote to it meanwhile. */
const mostLooks = 100;

@Injectable()
export class SongsService {
  readonly #data: DataSource;
  readonly #recordings: RecordingsService;
  readonly #access: SongAccess;
  readonly #stored: StoredSongs;
  /** The last request of each song that is being worked on. */
  readonly #turns = new Map<string, Promise<unknown>>();

  constructor(
    data: DataSource,
    recordings: RecordingsService,
    access: SongAccess,
    stored: StoredSongs,
  ) {
    this.#data = data;
    this.#stored = stored;
    this.#recordings = recordings;
    this.#access = access;
  }

  /** All that one may see, the one worked on last first. */
  list(visitor: Visitor): Promise<SongSummary[]> {
    return this.#summaries(visitor, null);
  }

  async #summaries(visitor: Visitor, id: string | null): Promise<SongSummary[]> {
    const rows = (await this.#data.query(
      `SELECT songs.id, songs.title, songs.revision, songs.updated_at AS "updatedAt",
              songs.parts,
              CASE WHEN $1::uuid IS NULL OR songs.owner_id = $1 THEN 'own' ELSE shares.may END AS may,
              accounts.name AS owner
       FROM songs
       LEFT JOIN shares ON shares.song_id = songs.id AND shares.account_id = $1
       LEFT JOIN accounts ON accounts.id = songs.owner_id
       WHERE songs.deleted_at IS NULL AND ($1::uuid IS NULL OR songs.owner_id = $1 OR shares.may IS NOT NULL)
         AND ($2::uuid IS NULL OR songs.id = $2)
       ORDER BY songs.updated_at DESC`,
      [ownerOf(visitor), id],
    )) as (Omit<SongSummary, 'updatedAt'> & { updatedAt: Date })[];
    return rows.map((row) => ({ ...row, updatedAt: row.updatedAt.toISOString() }));
  }

  /** Whether there has ever been a song, deleted ones included. */
  async everHadSongs(): Promise<boolean> {
    return this.#data.getRepository(SongEntity).exists({ withDeleted: true });
  }

  /** @param edits what the song begins with; none of it can be undone */
  async create(visitor: Visitor, title: string, edits: readonly Edit[] = []): Promise<SongSummary> {
    const id = randomUUID();
    const empty = emptySong(id, title);
    const begun = { id: randomUUID(), name: 'begin', role: 'do', edits } as const;
    return this.#insert(
      visitor,
      edits.length > 0 ? expectSuccess(apply(empty, begun)).song : empty,
    );
  }

  /**
   * A song of its own with what a song was at a revision: for steps that no longer fit what it has become.
   * @throws Problem 422 for a revision that the song never had
   */
  async copy(visitor: Visitor, id: string, revision: number, title: string): Promise<SongSummary> {
    await this.#access.demand(visitor, id, 'read');
    const { version, song: newest } = await this.#stored.current(id);
    if (revision > version.revision)
      throw new Problem(422, {
        code: 'no-such-revision',
        sentence: `The song is at revision ${version.revision}; it was never at ${revision}.`,
        place: 'revision',
      });
    let song = newest;
    const work = new Work();
    for (let at: number | null = version.revision; at !== null && at > revision;) {
      const page = await logPage(this.#data.manager, id, at);
      for (const command of page.log.toReversed().slice(0, at - revision)) {
        const back = await work.apply(song, { ...command, edits: command.inverse });
        if (!back.ok) throw new Problem(422, back.error);
        song = back.value.song;
      }
      at = page.earlier;
    }
    return this.#insert(visitor, { ...song, id: randomUUID(), title });
  }

  async #insert(visitor: Visitor, document: Song): Promise<SongSummary> {
    const { id, title } = document;
    await this.#data.transaction(async (manager) => {
      await manager.insert(SongEntity, {
        ...{ id, title, document: document as never, revision: 0 },
        parts: document.partOrder.length,
        ownerId: ownerOf(visitor),
      });
      await this.#recordings.noteUses(manager, id, hashesOf(Object.values(document.recordings)));
    });
    return this.#summary(visitor, id);
  }

  async #summary(visitor: Visitor, id: string): Promise<SongSummary> {
    const [found] = await this.#summaries(visitor, id);
    if (!found) throw noSong();
    return found;
  }

  /** What one may do with a song, and the JSON of all else that opening it tells, without its opening brace. */
  async open(
    visitor: Visitor,
    id: string,
  ): Promise<{ readonly may: Right; readonly rest: Buffer }> {
    const may = await this.#access.demand(visitor, id, 'read');
    return { may, rest: await this.#stored.opened(id) };
  }

  async revision(visitor: Visitor, id: string): Promise<number> {
    await this.#access.demand(visitor, id, 'read');
    return (await this.#stored.version(id)).revision;
  }

  /** Commands from before what an opened song has told. */
  async log(visitor: Visitor, id: string, upTo: number): Promise<LogPage> {
    await this.#access.demand(visitor, id, 'read');
    return logPage(this.#data.manager, id, upTo);
  }

  async delete(visitor: Visitor, id: string): Promise<void> {
    await this.#access.demand(visitor, id, 'own');
    await this.#data.getRepository(SongEntity).softDelete({ id });
    this.#stored.forget(id);
  }

  async restore(visitor: Visitor, id: string): Promise<SongSummary> {
    await this.#access.demand(visitor, id, 'own', true);
    await this.#data.getRepository(SongEntity).restore({ id });
    return this.#summary(visitor, id);
  }

  /**
   * Applies commands, all or none. Those that the log already holds right behind `baseRevision` are
   * skipped, so a client may send again what it is not sure of; but what another one has done since is never passed over.
   * @returns the song's revision afterwards
   */
  async apply(
    visitor: Visitor,
    id: string,
    baseRevision: number,
    commands: readonly Command[],
  ): Promise<number> {
    await this.#access.demand(visitor, id, 'work');
    const ids = commands.map((command) => command.id.toLowerCase());
    if (new Set(ids).size !== ids.length)
      throw new Problem(400, {
        code: 'same-command',
        sentence: 'Two commands of this request have one id.',
        place: 'commands',
      });
    // Recordings that are kept do not change.
    const kept = await this.#keptRecordings(visitor, commands);
    return this.#inTurn(id, () => this.#applyFresh(visitor, id, baseRevision, commands, ids, kept));
  }

  /** What comes for one song while another of its requests computes is looked at afterwards: as a rule there is nothing left to compute. */
  async #inTurn<T>(id: string, work: () => Promise<T>): Promise<T> {
    const before = this.#turns.get(id);
    const mine = before ? before.then(work, work) : work();
    this.#turns.set(id, mine);
    try {
      return await mine;
    } finally {
      if (this.#turns.get(id) === mine) this.#turns.delete(id);
    }
  }

  /** Applies those of the commands that the log has not. */
  async #applyFresh(
    visitor: Visitor,
    id: string,
    baseRevision: number,
    commands: readonly Command[],
    ids: readonly string[],
    kept: ReadonlyMap<string, RecordingEntity>,
  ): Promise<number> {
    const work = new Work();
    for (let looks = 0; looks < mostLooks; looks++) {
      const stored = await this.#stored.current(id);
      const { version } = stored;
      const known = await this.#knownOf(version, baseRevision, ids);
      // The same request, sent again, has written since the song was read.
      if (!known) continue;
      const fresh = commands.filter((_, n) => !known.has(ids[n]));
      if (fresh.length === 0) return version.revision;
      // Computed before anything is locked: no transaction stands still meanwhile.
      let { song } = stored;
      const logged: LogRow[] = [];
      for (const command of fresh) {
        this.#checkRecordings(command, kept);
        const edits = editsText(command);
        const applied = await work.apply(song, command);
        if (!applied.ok) throw new Problem(422, applied.error, { commandId: command.id });
        song = applied.value.song;
        logged.push(
          logRow(command, edits, applied.value.inverse, version.revision + logged.length + 1),
        );
      }
      if (await this.#write(visitor, version, song, logged, [...kept.keys()]))
        return version.revision + logged.length;
    }
    throw databaseBusy();
  }

  /** Writes what commands made of a song. @returns false, and nothing is written, where another one has written since it was read */
  async #write(
    visitor: Visitor,
    read: SongVersion,
    song: Song,
    logged: readonly LogRow[],
    recordings: readonly string[],
  ): Promise<boolean> {
    const { id } = read;
    const revision = read.revision + logged.length;
    const document = JSON.stringify(song);
    const updatedAt = await this.#data.transaction(async (manager) => {
      const now = await manager.findOne(SongEntity, {
        select: { id: true, revision: true, updatedAt: true },
        where: { id },
        lock: { mode: 'pessimistic_write' },
      });
      if (!now) throw noSong();
      if (keyOf(now) !== keyOf(read)) return null;
      await appendToLog(manager, id, visitor.kind === 'account' ? visitor.name : null, logged);
      await this.#recordings.noteUses(manager, id, recordings);
      const updatedAt = new Date();
      await manager.query(
        `UPDATE songs SET document = $2, title = $3, parts = $4, revision = $5, updated_at = $6
         WHERE id = $1`,
        [id, document, song.title, song.partOrder.length, revision, updatedAt],
      );
      return updatedAt;
    });
    if (updatedAt) this.#stored.remember({ id, revision, updatedAt }, song, document.length);
    return updatedAt !== null;
  }

  /**
   * Which of the ids the log holds; null where it holds some from after the song was read.
   * @throws Problem 409 where something else stands behind `baseRevision`, or an id is another song's
   */
  async #knownOf(
    version: SongVersion,
    baseRevision: number,
    ids: readonly string[],
  ): Promise<Set<string> | null> {
    const found = await findInLogs(this.#data.manager, ids);
    const foreign = found.find(({ songId }) => songId !== version.id);
    if (foreign)
      throw new Problem(
        409,
        { code: 'foreign-command', sentence: 'A command of this id belongs to another song.' },
        { commandId: foreign.id },
      );
    if (found.some(({ revision }) => revision > version.revision)) return null;
    const behind = found.filter(({ revision }) => revision > baseRevision);
    const unbroken = behind.every(({ revision }, n) => revision === baseRevision + n + 1);
    if (!unbroken || baseRevision + behind.length !== version.revision)
      throw new Problem(
        409,
        {
          code: 'other-revision',
          sentence: `This song was changed elsewhere: it is at revision ${version.revision}, the commands stand on ${baseRevision}.`,
        },
        { revision: version.revision, known: found.map(({ id }) => id) },
      );
    return new Set(found.map(({ id }) => id));
  }

  async #keptRecordings(
    visitor: Visitor,
    commands: readonly Command[],
  ): Promise<Map<string, RecordingEntity>> {
    const named = commands.flatMap(({ edits }) =>
      edits.flatMap((edit) => (edit.kind === 'put-recording' ? [edit.recording] : [])),
    );
    return this.#recordings.findAll(visitor, hashesOf(named));
  }

  /** A song may only name recordings that are kept, and must tell the truth about them. */
  #checkRecordings(command: Command, kept: ReadonlyMap<string, RecordingEntity>): void {
    for (const edit of command.edits) {
      if (edit.kind !== 'put-recording') continue;
      // What sounds in it is derived: earlier versions did not tell, and later ones may tell it better.
      const {
        fileName,
        original,
        facts: _derived,
        ...claimed
      } = (edit.recording ?? {}) as Partial<typeof edit.recording>;
      const found = kept.get(String(claimed.hash));
      const { facts: _kept, ...layout } = found?.layout ?? {};
      const truth = found?.layout && { hash: found.hash, ...layout };
      const came = !original || kept.has(String(original.hash));
      if (!truth || !came || !isDeepStrictEqual(claimed, truth))
        throw new Problem(
          422,
          {
            code: 'unknown-recording',
            sentence: `“${fileName}” is not among the kept recordings as described; upload it first.`,
            place: 'edits',
          },
          { commandId: command.id },
        );
    }
  }
}

/** A command's edits as JSON. @throws Problem 413 for an edit that would take long in one go */
function editsText({ id, name, edits }: Command): string {
  const texts = edits.map((edit) => JSON.stringify(edit));
  if (texts.some(({ length }) => length > maxEditLetters))
    throw new Problem(
      413,
      {
        code: 'too-large',
        sentence: `“${name}” has an edit of more than ${maxEditLetters / 1e6} MB: change less at once.`,
      },
      { commandId: id },
    );
  return `[${texts.join(',')}]`;
}

function logRow(
  { id, name, role }: Command,
  edits: string,
  inverse: readonly Edit[],
  revision: number,
): LogRow {
  const row = { id, name, role, revision, edits, inverse: JSON.stringify(inverse) };
  if (edits.length + row.inverse.length > mostLoggedBytes)
    throw new Problem(
      422,
      {
        code: 'too-large',
        sentence: `“${name}” changes too much for one step: do it in several.`,
      },
      { commandId: id },
    );
  return row;
}

/** The files that these recordings are and came from. What came may have any shape. */
function hashesOf(recordings: readonly unknown[]): string[] {
  const hashes = recordings.flatMap((recording) => {
    const { hash, original } = (recording ?? {}) as {
      hash?: unknown;
      original?: { hash?: unknown } | null;
    };
    return [hash, original?.hash];
  });
  return [...new Set(hashes.filter((hash) => typeof hash === 'string'))];
}
