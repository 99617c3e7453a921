import { Global, Module } from '@nestjs/common';
import { TypeOrmModule } from '@nestjs/typeorm';
import { Configuration } from '../configuration/configuration.ts';
import { databaseOptions } from './data-source.ts';
import { connectAndMigrate } from './migrate.ts';
import { ReadingPool, SessionsPool, StoringPool } from './pools.ts';

const pools = [StoringPool, ReadingPool, SessionsPool];

@Global()
@Module({
  imports: [
    TypeOrmModule.forRootAsync({
      inject: [Configuration],
      useFactory: ({ databaseUrl }: Configuration) => ({
        ...databaseOptions(databaseUrl),
        // Whether the database is there is the starter's to see to; waiting for it would only hide that it is not.
        retryAttempts: 0,
      }),
      dataSourceFactory: async (options) => {
        if (options?.type !== 'postgres' || !options.url)
          throw new Error('The database has no options.');
        return connectAndMigrate(options.url, options);
      },
    }),
  ],
  providers: pools.map((Pool) => ({
    provide: Pool,
    inject: [Configuration],
    useFactory: ({ databaseUrl }: Configuration) => new Pool(databaseUrl),
  })),
  exports: pools,
})
export class DatabaseModule {}
