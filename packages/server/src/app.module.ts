import { Module } from '@nestjs/common';
import { DatabaseModule } from './database/database.module.ts';
import { DemoService } from './demo/demo.service.ts';
import { HealthController } from './health/health.controller.ts';
import { RecordingsController } from './recordings/recordings.controller.ts';
import { RecordingsService } from './recordings/recordings.service.ts';
import { SongsController } from './songs/songs.controller.ts';
import { SongsService } from './songs/songs.service.ts';

@Module({
  imports: [DatabaseModule],
  controllers: [SongsController, RecordingsController, HealthController],
  providers: [SongsService, RecordingsService, DemoService],
})
export class AppModule {}
