import type { MigrationInterface, QueryRunner } from 'typeorm';

export class OwnRecipes1764100000000 implements MigrationInterface {
  async up(runner: QueryRunner): Promise<void> {
    await runner.query(`
      CREATE TABLE recipes (
        id uuid PRIMARY KEY,
        name text NOT NULL,
        file json NOT NULL,
        created_at timestamptz NOT NULL DEFAULT now()
      )`);
  }

  async down(runner: QueryRunner): Promise<void> {
    await runner.query('DROP TABLE recipes');
  }
}
