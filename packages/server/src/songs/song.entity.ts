import type { Song } from '@pannet/core/song/song';
import {
  Column,
  CreateDateColumn,
  DeleteDateColumn,
  Entity,
  PrimaryColumn,
  UpdateDateColumn,
} from 'typeorm';

@Entity('songs')
export class SongEntity {
  @PrimaryColumn('uuid')
  id: string;

  @Column('text')
  title: string;

  /** The account that it belongs to; null where there are none. */
  @Column('uuid', { name: 'owner_id', nullable: true })
  ownerId: string | null;

  @Column('json')
  document: Song;

  /** How many the document has. */
  @Column('integer')
  parts: number;

  /** How many commands the log holds. */
  @Column('integer')
  revision: number;

  @CreateDateColumn({ name: 'created_at', type: 'timestamptz' })
  createdAt: Date;

  @UpdateDateColumn({ name: 'updated_at', type: 'timestamptz' })
  updatedAt: Date;

  /** Set when the song was deleted; it can be brought back. */
  @DeleteDateColumn({ name: 'deleted_at', type: 'timestamptz' })
  deletedAt: Date | null;
}
