import { Module } from '@nestjs/common';
import { DatabaseModule } from './database/database.module.ts';
import { DemoService } from './demo/demo.service.ts';
import { HealthController } from './health/health.controller.ts';
import { RecordingsController } from './recordings/recordings.controller.ts';
import { RecordingsService } from './recordings/recordings.service.ts';
import { RecipesController } from './recipes/recipes.controller.ts';
import { RecipesService } from './recipes/recipes.service.ts';
import { SongsController } from './songs/songs.controller.ts';
import { SongsService } from './songs/songs.service.ts';

@Module({
  imports: [DatabaseModule],
  controllers: [SongsController, RecordingsController, RecipesController, HealthController],
  providers: [SongsService, RecordingsService, RecipesService, DemoService],
})
export class AppModule {}
