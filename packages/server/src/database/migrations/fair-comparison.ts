import { editToVersion3 } from '@pannet/core/song/migrations/to-version-3';
import type { MigrationInterface, QueryRunner } from 'typeorm';
import { rewriteLog } from './rewrite-log.ts';

export class FairComparison1764200000000 implements MigrationInterface {
  up(runner: QueryRunner): Promise<void> {
    return rewriteLog(runner, editToVersion3);
  }

  /** What format 3 added has no place in format 2. */
  async down(): Promise<void> {
    throw new Error('Logs of format 3 cannot go back to format 2.');
  }
}
