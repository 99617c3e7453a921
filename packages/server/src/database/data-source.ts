import type { DataSourceOptions } from 'typeorm';
import { RecipeEntity } from '../recipes/recipe.entity.ts';
import { RecordingEntity } from '../recordings/recording.entity.ts';
import { CommandEntity } from '../songs/command.entity.ts';
import { SongEntity } from '../songs/song.entity.ts';
import { FairComparison1764200000000 } from './migrations/fair-comparison.ts';
import { FirstTables1763900000000 } from './migrations/first-tables.ts';
import { OwnRecipes1764100000000 } from './migrations/own-recipes.ts';
import { VoicesInFull1764000000000 } from './migrations/voices-in-full.ts';

export function databaseOptions(url: string): DataSourceOptions {
  return {
    type: 'postgres',
    url,
    entities: [SongEntity, CommandEntity, RecordingEntity, RecipeEntity],
    migrations: [
      FirstTables1763900000000,
      VoicesInFull1764000000000,
      OwnRecipes1764100000000,
      FairComparison1764200000000,
    ],
    migrationsRun: true,
    synchronize: false,
  };
}
