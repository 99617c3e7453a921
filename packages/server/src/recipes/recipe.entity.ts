import { Column, CreateDateColumn, Entity, PrimaryColumn } from 'typeorm';

/** An image that an engineer keeps as a starting point for others, as an image file. */
@Entity('recipes')
export class RecipeEntity {
  @PrimaryColumn('uuid')
  id: string;

  @Column('text')
  name: string;

  /** The account that it belongs to; null where there are none. */
  @Column('uuid', { name: 'owner_id', nullable: true })
  ownerId: string | null;

  @Column('json')
  file: object;

  @CreateDateColumn({ name: 'created_at', type: 'timestamptz' })
  createdAt: Date;
}
