import { isDeepStrictEqual } from 'node:util';
import { randomUUID } from 'node:crypto';
import { Injectable } from '@nestjs/common';
import { expectSuccess } from '@pannet/core/outcome';
import { apply, type Command } from '@pannet/core/song/commands';
import type { Edit } from '@pannet/core/song/edits/edit';
import { readSong } from '@pannet/core/song/saved-song';
import { emptySong, type Song } from '@pannet/core/song/song';
import { DataSource, type EntityManager } from 'typeorm';
import { ownerOf, type Visitor } from '../accounts/visitor.ts';
import { Problem } from '../problems/problem.ts';
import type { RecordingEntity } from '../recordings/recording.entity.ts';
import { RecordingsService } from '../recordings/recordings.service.ts';
import { noSong, SongAccess, type Right } from '../accounts/song-access.ts';
import { SongEntity } from './song.entity.ts';
import { appendToLog, findInLogs, logPage, type LogPage, type LogRow } from './song-log.ts';
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

/** What one step may leave in the log: taken back it may be far larger than it was. */
const mostLoggedBytes = 20_000_000;
/** So many documents are not read again while they are worked on. */
const mostRemembered = 32;

@Injectable()
export class SongsService {
  readonly #data: DataSource;
  readonly #recordings: RecordingsService;
  readonly #access: SongAccess;
  /** Documents as they were read last, by song, the one used last at the end. */
  readonly #read = new Map<string, { readonly version: string; readonly song: Song }>();

  constructor(data: DataSource, recordings: RecordingsService, access: SongAccess) {
    this.#data = data;
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
    const entity = await this.#data.getRepository(SongEntity).findOneBy({ id });
    if (!entity) throw noSong();
    if (revision > entity.revision)
      throw new Problem(422, {
        code: 'no-such-revision',
        sentence: `The song is at revision ${entity.revision}; it was never at ${revision}.`,
        place: 'revision',
      });
    let song = this.#documentOf(entity);
    const work = new Work();
    for (let at: number | null = entity.revision; at !== null && at > revision;) {
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

  async open(visitor: Visitor, id: string): Promise<OpenedSong> {
    const may = await this.#access.demand(visitor, id, 'read');
    const entity = await this.#data.getRepository(SongEntity).findOneBy({ id });
    if (!entity) throw noSong();
    const page = await logPage(this.#data.manager, id, entity.revision);
    return { song: this.#documentOf(entity), revision: entity.revision, may, ...page };
  }

  /** Commands from before what an opened song has told. */
  async log(visitor: Visitor, id: string, upTo: number): Promise<LogPage> {
    await this.#access.demand(visitor, id, 'read');
    return logPage(this.#data.manager, id, upTo);
  }

  async delete(visitor: Visitor, id: string): Promise<void> {
    await this.#access.demand(visitor, id, 'own');
    await this.#data.getRepository(SongEntity).softDelete({ id });
    this.#read.delete(id);
  }

  async restore(visitor: Visitor, id: string): Promise<SongSummary> {
    await this.#access.demand(visitor, id, 'own', true);
    await this.#data.getRepository(SongEntity).restore({ id });
    return this.#summary(visitor, id);
  }

  /**
   * Applies commands in one transaction, all or none. Those that the log already holds right behind `baseRevision` are
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
    // Recordings that are kept do not change: they are looked up before, not with a second connection inside.
    const kept = await this.#keptRecordings(visitor, commands);
    const work = new Work();
    const { revision, song, updatedAt } = await this.#data.transaction(async (manager) => {
      const entity = await manager.findOne(SongEntity, {
        where: { id },
        lock: { mode: 'pessimistic_write' },
      });
      if (!entity) throw noSong();
      const known = await this.#knownOf(manager, entity, baseRevision, ids);
      const fresh = commands.filter((_, n) => !known.has(ids[n]));
      if (fresh.length === 0)
        return { revision: entity.revision, song: null, updatedAt: entity.updatedAt };
      let current = this.#documentOf(entity);
      const logged: LogRow[] = [];
      for (const command of fresh) {
        this.#checkRecordings(command, kept);
        const applied = await work.apply(current, command);
        if (!applied.ok) throw new Problem(422, applied.error, { commandId: command.id });
        current = applied.value.song;
        logged.push(logRow(command, applied.value.inverse, entity.revision + logged.length + 1));
        await work.rest();
      }
      await appendToLog(manager, id, visitor.kind === 'account' ? visitor.name : null, logged);
      await this.#recordings.noteUses(manager, id, [...kept.keys()]);
      const next = entity.revision + fresh.length;
      const updatedAt = new Date();
      await manager.query(
        `UPDATE songs SET document = $2, title = $3, parts = $4, revision = $5, updated_at = $6
         WHERE id = $1`,
        [id, JSON.stringify(current), current.title, current.partOrder.length, next, updatedAt],
      );
      return { revision: next, song: current, updatedAt };
    });
    if (song) this.#remember({ id, revision, updatedAt }, song);
    return revision;
  }

  /** Which of the ids the log holds. @throws Problem 409 where something else stands behind `baseRevision`, or an id is another song's */
  async #knownOf(
    manager: EntityManager,
    entity: SongEntity,
    baseRevision: number,
    ids: readonly string[],
  ): Promise<Set<string>> {
    const found = await findInLogs(manager, ids);
    const foreign = found.find(({ songId }) => songId !== entity.id);
    if (foreign)
      throw new Problem(
        409,
        { code: 'foreign-command', sentence: 'A command of this id belongs to another song.' },
        { commandId: foreign.id },
      );
    const behind = found.filter(({ revision }) => revision > baseRevision);
    const unbroken = behind.every(({ revision }, n) => revision === baseRevision + n + 1);
    if (!unbroken || baseRevision + behind.length !== entity.revision)
      throw new Problem(
        409,
        {
          code: 'other-revision',
          sentence: `This song was changed elsewhere: it is at revision ${entity.revision}, the commands stand on ${baseRevision}.`,
        },
        { revision: entity.revision, known: found.map(({ id }) => id) },
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

  #documentOf(entity: SongEntity): Song {
    const remembered = this.#read.get(entity.id);
    if (remembered?.version === versionOf(entity)) return remembered.song;
    const song = readSong(entity.document);
    if (!song.ok) throw new Problem(409, song.error);
    this.#remember(entity, song.value);
    return song.value;
  }

  #remember(entity: Pick<SongEntity, 'id' | 'revision' | 'updatedAt'>, song: Song): void {
    this.#read.delete(entity.id);
    this.#read.set(entity.id, { version: versionOf(entity), song });
    const [oldest] = this.#read.keys();
    if (this.#read.size > mostRemembered) this.#read.delete(oldest);
  }
}

/** A restored backup may have the same revision with something else in it. */
function versionOf({ revision, updatedAt }: Pick<SongEntity, 'revision' | 'updatedAt'>): string {
  return `${revision} ${updatedAt.getTime()}`;
}

function logRow(command: Command, inverse: readonly Edit[], revision: number): LogRow {
  const { id, name, role } = command;
  const row = { id, name, role, revision };
  const texts = { edits: JSON.stringify(command.edits), inverse: JSON.stringify(inverse) };
  if (texts.edits.length + texts.inverse.length > mostLoggedBytes)
    throw new Problem(
      422,
      {
        code: 'too-large',
        sentence: `“${name}” changes too much for one step: do it in several.`,
      },
      { commandId: id },
    );
  return { ...row, ...texts };
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
