import { Global, Module } from '@nestjs/common';
import { TypeOrmModule } from '@nestjs/typeorm';
import { DataSource } from 'typeorm';
import pg from 'pg';
import { databaseOptions } from './data-source.ts';

/** Connections outside the entity manager, for COPY streams. */
export class CopyPool extends pg.Pool {
  async onModuleDestroy(): Promise<void> {
    await this.end();
  }
}

@Global()
@Module({
  imports: [
    TypeOrmModule.forRootAsync({
      useFactory: () => databaseOptions(databaseUrl()),
      dataSourceFactory: async (options) => {
        if (!options) throw new Error('The database has no options.');
        return new DataSource(options).initialize();
      },
    }),
  ],
  providers: [
    {
      provide: CopyPool,
      useFactory: () => {
        const pool = new CopyPool({ connectionString: databaseUrl(), max: 8 });
        // A connection that dies while idle must not take the process with it; the next use opens another.
        pool.on('error', () => {});
        return pool;
      },
    },
  ],
  exports: [CopyPool],
})
export class DatabaseModule {}

function databaseUrl(): string {
  const url = process.env.DATABASE_URL;
  if (!url) throw new Error('DATABASE_URL is not set; ./pannet start sets it.');
  return url;
}
