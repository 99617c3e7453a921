import type { DataSourceOptions } from 'typeorm';
import { AccountEntity } from '../accounts/account.entity.ts';
import { RecipeEntity } from '../recipes/recipe.entity.ts';
import { RecordingEntity } from '../recordings/recording.entity.ts';
import { ShareEntity } from '../songs/share.entity.ts';
import { SongEntity } from '../songs/song.entity.ts';
import { AccountsAndUses1764300000000 } from './migrations/accounts-and-uses.ts';
import { FairComparison1764200000000 } from './migrations/fair-comparison.ts';
import { FirstTables1763900000000 } from './migrations/first-tables.ts';
import { OwnRecipes1764100000000 } from './migrations/own-recipes.ts';
import { RecipesStay1764800000000 } from './migrations/recipes-stay.ts';
import { SongParts1764700000000 } from './migrations/song-parts.ts';
import { VoicesInFull1764000000000 } from './migrations/voices-in-full.ts';
import { connections, patience } from './pools.ts';

/** All migrations, in the order in which they run. A released one is never edited (`released-migrations.test.ts`). */
const migrations = [
  FirstTables1763900000000,
  VoicesInFull1764000000000,
  OwnRecipes1764100000000,
  FairComparison1764200000000,
  AccountsAndUses1764300000000,
  SongParts1764700000000,
  RecipesStay1764800000000,
];

export const migrationNames: readonly string[] = migrations.map(({ name }) => name);

/** @param migrationCount how many of the migrations it has; all of them if left out */
export function databaseOptions(
  url: string,
  migrationCount = migrations.length,
): DataSourceOptions {
  return {
    type: 'postgres',
    url,
    entities: [SongEntity, RecordingEntity, RecipeEntity, AccountEntity, ShareEntity],
    migrations: migrations.slice(0, migrationCount),
    synchronize: false,
    poolErrorHandler: () => {},
    extra: {
      max: connections.documents,
      connectionTimeoutMillis: patience.connectMs,
      statement_timeout: patience.statementMs,
      lock_timeout: patience.lockMs,
      idle_in_transaction_session_timeout: patience.idleInTransactionMs,
    },
  };
}
