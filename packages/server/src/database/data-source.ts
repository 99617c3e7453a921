import type { DataSourceOptions } from 'typeorm';
import { RecordingEntity } from '../recordings/recording.entity.ts';
import { CommandEntity } from '../songs/command.entity.ts';
import { SongEntity } from '../songs/song.entity.ts';
import { FirstTables1763900000000 } from './migrations/first-tables.ts';
import { VoicesInFull1764000000000 } from './migrations/voices-in-full.ts';

export function databaseOptions(url: string): DataSourceOptions {
  return {
    type: 'postgres',
    url,
    entities: [SongEntity, CommandEntity, RecordingEntity],
    migrations: [FirstTables1763900000000, VoicesInFull1764000000000],
    migrationsRun: true,
    synchronize: false,
  };
}
