import { describe, expect, test } from '@jest/globals';
import { DataSource, type EntityManager } from 'typeorm';
import { RunningServer } from '../running-server.fixture.ts';
import { SongEntity } from '../songs/song.entity.ts';
import { problemOf } from './failing.ts';

const server = new RunningServer();

describe('a transaction whose connection dies between two of its queries', () => {
  /** What it ends with. */
  const failureOf = (next: (manager: EntityManager) => Promise<unknown>) => {
    const data = server.app.get(DataSource);
    return data
      .transaction(async (manager) => {
        const client = (await manager.queryRunner?.connect()) as NodeJS.EventEmitter;
        const died = new Promise((resolve) => client.once('error', resolve));
        const [{ pid }] = (await manager.query('SELECT pg_backend_pid() AS pid')) as [
          { pid: number },
        ];
        await data.query('SELECT pg_terminate_backend($1)', [pid]);
        await died;
        await next(manager);
      })
      .then(
        () => null,
        (error: unknown) => error,
      );
  };

  test.each<[string, (manager: EntityManager) => Promise<unknown>]>([
    ['a statement', (manager) => manager.query('SELECT 1')],
    ['a search', (manager) => manager.findOneBy(SongEntity, { title: 'none' })],
    ['an insertion', (manager) => manager.insert(SongEntity, { title: 'none' })],
    ['a transaction within', (manager) => manager.transaction(() => Promise.resolve())],
    ['nothing more', () => Promise.resolve()],
  ])('is said to be the database that does not answer: %s', async (_, next) => {
    const error = await failureOf(next);
    expect(problemOf(error)?.getStatus()).toBe(503);
    expect(problemOf(error)?.failure.code).toBe('no-database');
  });

  test('and what is a bug is none of that', async () => {
    const missing = await server.app
      .get(DataSource)
      .query('SELECT * FROM nowhere')
      .then(
        () => null,
        (error: unknown) => error,
      );
    expect(missing).toBeInstanceOf(Error);
    expect(problemOf(missing)).toBeNull();
  });
});
