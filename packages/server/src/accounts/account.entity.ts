import { Column, CreateDateColumn, Entity, PrimaryColumn } from 'typeorm';

/** One who may sign in. */
@Entity('accounts')
export class AccountEntity {
  @PrimaryColumn('uuid')
  id: string;

  @Column('text')
  name: string;

  /** Argon2id, with its salt and costs in it. */
  @Column('text', { name: 'password_hash' })
  passwordHash: string;

  @CreateDateColumn({ name: 'created_at', type: 'timestamptz' })
  createdAt: Date;
}
