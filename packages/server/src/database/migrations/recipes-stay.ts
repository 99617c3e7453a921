import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Recipes of an account that is removed go on to the oldest account, as its songs do, instead of being deleted with it. */
export class RecipesStay1764800000000 implements MigrationInterface {
  async up(runner: QueryRunner): Promise<void> {
    await this.#whenItsAccountGoes(runner, 'SET NULL');
  }

  async down(runner: QueryRunner): Promise<void> {
    await this.#whenItsAccountGoes(runner, 'CASCADE');
  }

  async #whenItsAccountGoes(runner: QueryRunner, what: 'SET NULL' | 'CASCADE'): Promise<void> {
    await runner.query('ALTER TABLE recipes DROP CONSTRAINT recipes_owner_id_fkey');
    await runner.query(
      `ALTER TABLE recipes ADD CONSTRAINT recipes_owner_id_fkey
       FOREIGN KEY (owner_id) REFERENCES accounts (id) ON DELETE ${what}`,
    );
  }
}
