import { isDeepStrictEqual } from 'node:util';
import { randomUUID } from 'node:crypto';
import { Injectable } from '@nestjs/common';
import { expectSuccess } from '@pannet/core/outcome';
import { apply, type Command, type LoggedCommand } from '@pannet/core/song/commands';
import type { Edit } from '@pannet/core/song/edits/edit';
import { readSong } from '@pannet/core/song/saved-song';
import { emptySong, type Recording, type Song } from '@pannet/core/song/song';
import { DataSource, type EntityManager, In, IsNull, Not } from 'typeorm';
import { notFound, Problem } from '../problems/problem.ts';
import { RecordingsService } from '../recordings/recordings.service.ts';
import { CommandEntity } from './command.entity.ts';
import { SongEntity } from './song.entity.ts';

export interface SongSummary {
  readonly id: string;
  readonly title: string;
  readonly revision: number;
  readonly parts: number;
  readonly updatedAt: string;
}

export interface OpenedSong {
  readonly song: Song;
  readonly revision: number;
  /** The newest commands of the log, oldest first: enough for undo and redo with their names. */
  readonly log: readonly LoggedCommand[];
}

/** So many steps back an opened song remembers. */
const rememberedCommands = 500;

@Injectable()
export class SongsService {
  readonly #data: DataSource;
  readonly #recordings: RecordingsService;

  constructor(data: DataSource, recordings: RecordingsService) {
    this.#data = data;
    this.#recordings = recordings;
  }

  async list(): Promise<SongSummary[]> {
    const songs = await this.#data.getRepository(SongEntity).find({ order: { updatedAt: 'DESC' } });
    return songs.map(summary);
  }

  /** Whether there has ever been a song, deleted ones included. */
  async everHadSongs(): Promise<boolean> {
    return this.#data.getRepository(SongEntity).exists({ withDeleted: true });
  }

  /** @param edits what the song begins with; none of it can be undone */
  async create(title: string, edits: readonly Edit[] = []): Promise<SongSummary> {
    const id = randomUUID();
    const songs = this.#data.getRepository(SongEntity);
    const empty = emptySong(id, title);
    const begun = { id: randomUUID(), name: 'begin', role: 'do', edits } as const;
    const document = edits.length > 0 ? expectSuccess(apply(empty, begun)).song : empty;
    return summary(await songs.save(songs.create({ id, title, document, revision: 0 })));
  }

  async open(id: string): Promise<OpenedSong> {
    const entity = await this.#data.getRepository(SongEntity).findOneBy({ id });
    if (!entity) throw noSong();
    const log = await this.#data.getRepository(CommandEntity).find({
      where: { songId: id },
      order: { revision: 'DESC' },
      take: rememberedCommands,
    });
    return {
      song: documentOf(entity),
      revision: entity.revision,
      log: log.reverse().map(({ id: commandId, name, role, edits, inverse }) => ({
        id: commandId,
        name,
        role,
        edits,
        inverse,
      })),
    };
  }

  async delete(id: string): Promise<void> {
    const result = await this.#data.getRepository(SongEntity).softDelete({ id });
    if (!result.affected) throw noSong();
  }

  async restore(id: string): Promise<SongSummary> {
    const songs = this.#data.getRepository(SongEntity);
    await songs.restore({ id, deletedAt: Not(IsNull()) });
    const song = await songs.findOneBy({ id });
    if (!song) throw noSong();
    return summary(song);
  }

  /**
   * Applies commands in one transaction, all or none. Those whose ids the log already holds are skipped, so a client may
   * send again what it is not sure of.
   * @returns the song's revision afterwards
   */
  async apply(id: string, baseRevision: number, commands: readonly Command[]): Promise<number> {
    return this.#data.transaction(async (manager) => {
      const entity = await manager.findOne(SongEntity, {
        where: { id },
        lock: { mode: 'pessimistic_write' },
      });
      if (!entity) throw noSong();
      const known = await this.#known(manager, id, commands);
      const fresh = commands.filter((command) => !known.has(command.id));
      if (fresh.length === 0) return entity.revision;
      // What was sent and logged before, but never answered, stands between the client's revision and ours.
      if (baseRevision + known.size !== entity.revision)
        throw new Problem(
          409,
          {
            code: 'other-revision',
            sentence: `This song was changed elsewhere: it is at revision ${entity.revision}, the commands stand on ${baseRevision}.`,
          },
          { revision: entity.revision },
        );
      let song = documentOf(entity);
      const logged: CommandEntity[] = [];
      for (const command of fresh) {
        await this.#checkRecordings(command);
        const applied = apply(song, command);
        if (!applied.ok) throw new Problem(422, applied.error, { commandId: command.id });
        song = applied.value.song;
        logged.push(
          manager.create(CommandEntity, {
            ...command,
            songId: id,
            revision: entity.revision + logged.length + 1,
            inverse: applied.value.inverse,
          }),
        );
      }
      await manager.insert(CommandEntity, logged as never);
      entity.document = song;
      entity.title = song.title;
      entity.revision += fresh.length;
      await manager.save(entity);
      return entity.revision;
    });
  }

  async #known(
    manager: EntityManager,
    songId: string,
    commands: readonly Command[],
  ): Promise<Set<string>> {
    const rows = await manager.find(CommandEntity, {
      select: { id: true },
      where: { songId, id: In(commands.map((command) => command.id)) },
    });
    return new Set(rows.map((row) => row.id));
  }

  /** A song may only name recordings that are kept, and must tell the truth about them. */
  async #checkRecordings(command: Command): Promise<void> {
    for (const edit of command.edits) {
      if (edit.kind !== 'put-recording') continue;
      const { fileName, original, ...claimed } = edit.recording ?? ({} as Recording);
      const kept = await this.#recordings.find(String(claimed.hash));
      // What a recording is was not told by earlier versions.
      const { facts, ...layout } = kept?.layout ?? {};
      const truth = kept && { hash: kept.hash, ...layout, ...(claimed.facts && { facts }) };
      const came = !original || (await this.#recordings.find(String(original.hash))) !== null;
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

function documentOf(entity: SongEntity): Song {
  const song = readSong(entity.document);
  if (!song.ok) throw new Problem(409, song.error);
  return song.value;
}

function summary({ id, title, revision, document, updatedAt }: SongEntity): SongSummary {
  return {
    id,
    title,
    revision,
    parts: document.partOrder.length,
    updatedAt: updatedAt.toISOString(),
  };
}

function noSong(): Problem {
  return notFound('There is no such song; it may have been deleted.');
}
