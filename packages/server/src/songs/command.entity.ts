import type { Edit } from '@pannet/core/song/edits/edit';
import { Column, Entity, PrimaryColumn } from 'typeorm';

/** One line of a song's log, which only grows. */
@Entity('commands')
export class CommandEntity {
  @PrimaryColumn('uuid')
  id: string;

  @Column('uuid', { name: 'song_id' })
  songId: string;

  /** The song's revision after it. */
  @Column('integer')
  revision: number;

  @Column('text')
  name: string;

  /** Name of the account that did it; null where there are none. */
  @Column('text', { nullable: true })
  account: string | null;

  @Column('text')
  role: 'do' | 'undo' | 'redo';

  @Column('json')
  edits: readonly Edit[];

  @Column('json')
  inverse: readonly Edit[];
}
