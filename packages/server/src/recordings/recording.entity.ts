import type { WavLayout } from '@pannet/core/formats/wav-read';
import { Column, Entity, PrimaryColumn } from 'typeorm';

/** One audio file as it came, under its content hash; its bytes lie in `recording_chunks`. */
@Entity('recordings')
export class RecordingEntity {
  @PrimaryColumn('bigint')
  id: string;

  @Column('char', { length: 64 })
  hash: string;

  @Column('bigint', { transformer: { from: Number, to: String } })
  bytes: number;

  @Column('json')
  layout: WavLayout;
}
