import { Injectable } from '@nestjs/common';
import { DataSource } from 'typeorm';
import type { Visitor } from './visitor.ts';
import { notFound, Problem } from '../problems/problem.ts';

/** What one may do with a song; each may do what stands before it too. */
const rights = ['read', 'work', 'own'] as const;
export type Right = (typeof rights)[number];

/** Who may do what with which song, and so hear which recording. */
@Injectable()
export class SongAccess {
  readonly #data: DataSource;

  constructor(data: DataSource) {
    this.#data = data;
  }

  /** null where the song cannot even be seen. @param deleted whether one that was deleted counts */
  async right(visitor: Visitor, songId: string, deleted = false): Promise<Right | null> {
    const rows = (await this.#data.query(
      `SELECT songs.owner_id, shares.may FROM songs
       LEFT JOIN shares ON shares.song_id = songs.id AND shares.account_id = $2
       WHERE songs.id = $1 AND ($3 OR songs.deleted_at IS NULL)`,
      [songId, visitor.kind === 'account' ? visitor.id : null, deleted],
    )) as { owner_id: string | null; may: 'read' | 'work' | null }[];
    const [row] = rows;
    if (!row) return null;
    if (visitor.kind === 'anyone' || row.owner_id === visitor.id) return 'own';
    return row.may;
  }

  /** @throws Problem 404 where it cannot be seen, so that nobody learns that it is there; 403 where it can */
  async demand(visitor: Visitor, songId: string, needed: Right, deleted = false): Promise<Right> {
    const right = await this.right(visitor, songId, deleted);
    if (!right) throw noSong();
    if (rights.indexOf(right) < rights.indexOf(needed))
      throw new Problem(403, {
        code: 'not-yours',
        sentence:
          needed === 'own'
            ? 'Only the owner of this song may do that.'
            : 'This song was shared with you to read; its owner can let you work on it.',
      });
    return right;
  }

  /** Of these recordings, those that one may hear: brought by oneself, or needed by a song that one may see. */
  async audible(visitor: Visitor, hashes: readonly string[]): Promise<Set<string>> {
    if (visitor.kind === 'anyone') return new Set(hashes);
    const rows = (await this.#data.query(
      `SELECT hash FROM recording_holders WHERE account_id = $1 AND hash = ANY($2)
       UNION
       SELECT uses.hash FROM recording_uses AS uses JOIN songs ON songs.id = uses.song_id
       LEFT JOIN shares ON shares.song_id = songs.id AND shares.account_id = $1
       WHERE uses.hash = ANY($2) AND (songs.owner_id = $1 OR (shares.may IS NOT NULL AND songs.deleted_at IS NULL))`,
      [visitor.id, hashes],
    )) as { hash: string }[];
    return new Set(rows.map(({ hash }) => hash));
  }
}

export function noSong(): Problem {
  return notFound('There is no such song; it may have been deleted.');
}
