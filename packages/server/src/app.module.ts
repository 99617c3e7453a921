import { type DynamicModule, Module } from '@nestjs/common';
import { APP_GUARD } from '@nestjs/core';
import { AccessGuard } from './accounts/access.guard.ts';
import { AccountsModule } from './accounts/accounts.module.ts';
import type { Configuration } from './configuration/configuration.ts';
import { ConfigurationModule } from './configuration/configuration.module.ts';
import { DatabaseModule } from './database/database.module.ts';
import { DemoService } from './demo/demo.service.ts';
import { HealthController } from './health/health.controller.ts';
import { RateGuard } from './rates.ts';
import { Disk } from './recordings/disk.ts';
import { RecordingsController } from './recordings/recordings.controller.ts';
import { RecordingsService } from './recordings/recordings.service.ts';
import { Spool } from './recordings/spool.ts';
import { RecipesController } from './recipes/recipes.controller.ts';
import { RecipesService } from './recipes/recipes.service.ts';
import { DocumentReader } from './songs/document-reader.ts';
import { StoredSongs } from './songs/stored-songs.ts';
import { SharesService } from './songs/shares.service.ts';
import { SongAccess } from './accounts/song-access.ts';
import { SongsController } from './songs/songs.controller.ts';
import { SongsService } from './songs/songs.service.ts';
import { DiskController } from './upkeep/disk.controller.ts';
import { PurgeService } from './upkeep/purge.service.ts';

/** The whole server, as it was configured. */
@Module({})
export class AppModule {
  static of(configuration: Configuration): DynamicModule {
    return {
      module: AppModule,
      imports: [ConfigurationModule.of(configuration), DatabaseModule, AccountsModule],
      controllers: [
        SongsController,
        RecordingsController,
        RecipesController,
        HealthController,
        DiskController,
      ],
      providers: [
        // In this order.
        { provide: APP_GUARD, useClass: RateGuard },
        { provide: APP_GUARD, useClass: AccessGuard },
        Disk,
        Spool,
        SongAccess,
        DocumentReader,
        StoredSongs,
        SongsService,
        SharesService,
        RecordingsService,
        RecipesService,
        DemoService,
        PurgeService,
      ],
    };
  }
}
