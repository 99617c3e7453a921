import { Controller, Get } from '@nestjs/common';
import { ApiOperation, ApiTags } from '@nestjs/swagger';
import { type DiskUse, PurgeService } from './purge.service.ts';

@ApiTags('upkeep')
@Controller('api/disk')
export class DiskController {
  readonly #purge: PurgeService;

  constructor(purge: PurgeService) {
    this.#purge = purge;
  }

  @Get()
  @ApiOperation({ summary: 'What the disk is used for, and what a purge would give back' })
  use(): Promise<DiskUse> {
    return this.#purge.use();
  }
}
