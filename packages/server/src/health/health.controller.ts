import { Controller, Get } from '@nestjs/common';
import { ApiOperation, ApiTags } from '@nestjs/swagger';
import { DataSource } from 'typeorm';
import { Problem } from '../problems/problem.ts';

@ApiTags('health')
@Controller('api/health')
export class HealthController {
  readonly #data: DataSource;

  constructor(data: DataSource) {
    this.#data = data;
  }

  @Get()
  @ApiOperation({ summary: 'Whether the server and its database answer' })
  async health(): Promise<{ status: 'ok'; memoryBytes: number }> {
    try {
      await this.#data.query('SELECT 1');
    } catch {
      throw new Problem(503, { code: 'no-database', sentence: 'The database does not answer.' });
    }
    return { status: 'ok', memoryBytes: process.memoryUsage().rss };
  }
}
