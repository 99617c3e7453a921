import { Column, Entity, PrimaryColumn } from 'typeorm';

/** What a song's owner lets another account do with it. */
@Entity('shares')
export class ShareEntity {
  @PrimaryColumn('uuid', { name: 'song_id' })
  songId: string;

  @PrimaryColumn('uuid', { name: 'account_id' })
  accountId: string;

  @Column('text')
  may: 'read' | 'work';
}
