import { editToVersion2 } from '@pannet/core/song/migrations/to-version-2';
import type { MigrationInterface, QueryRunner } from 'typeorm';

type Edits = Parameters<typeof editToVersion2>[0][];

/**
 * Songs are migrated as they are read. Their logs are migrated here, so that a step from before can still be taken back.
 */
export class VoicesInFull1764000000000 implements MigrationInterface {
  async up(runner: QueryRunner): Promise<void> {
    const rows = (await runner.query('SELECT id, edits, inverse FROM commands')) as {
      id: string;
      edits: Edits;
      inverse: Edits;
    }[];
    for (const { id, edits, inverse } of rows)
      await runner.query('UPDATE commands SET edits = $2, inverse = $3 WHERE id = $1', [
        id,
        JSON.stringify(edits.map(editToVersion2)),
        JSON.stringify(inverse.map(editToVersion2)),
      ]);
  }

  /** What format 2 added has no place in format 1. */
  async down(): Promise<void> {
    throw new Error('Logs of format 2 cannot go back to format 1.');
  }
}
