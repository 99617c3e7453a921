import { editToVersion2 } from '@pannet/core/song/migrations/to-version-2';
import type { MigrationInterface, QueryRunner } from 'typeorm';
import { rewriteLog } from './rewrite-log.ts';

export class VoicesInFull1764000000000 implements MigrationInterface {
  up(runner: QueryRunner): Promise<void> {
    return rewriteLog(runner, editToVersion2);
  }

  /** What format 2 added has no place in format 1. */
  async down(): Promise<void> {
    throw new Error('Logs of format 2 cannot go back to format 1.');
  }
}
