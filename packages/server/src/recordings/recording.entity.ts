import type { WavLayout } from '@pannet/core/formats/wav-read';
import type { SourceFacts } from '@pannet/core/sources/facts';
import { Column, Entity, PrimaryColumn } from 'typeorm';

/** How a file is laid out, and what sounds in it. Recordings from before that was looked at have no facts. */
export type DescribedLayout = WavLayout & { readonly facts?: SourceFacts };

/** One audio file as it came, under its content hash; its bytes lie in `recording_chunks`. */
@Entity('recordings')
export class RecordingEntity {
  @PrimaryColumn('bigint')
  id: string;

  @Column('char', { length: 64 })
  hash: string;

  @Column('bigint', { transformer: { from: Number, to: String } })
  bytes: number;

  /** null for a file that another one was converted from: it is kept, but not played. */
  @Column('json')
  layout: DescribedLayout | null;
}
