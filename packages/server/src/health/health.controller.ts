import { Controller, Get } from '@nestjs/common';
import { ApiOperation, ApiTags } from '@nestjs/swagger';
import { DataSource } from 'typeorm';
import { Configuration } from '../configuration/configuration.ts';
import { OpenToAll } from '../accounts/visitor.ts';
import { Unlimited } from '../rates.ts';
import { noDatabase } from '../problems/failing.ts';

@ApiTags('health')
@Controller('api/health')
export class HealthController {
  readonly #data: DataSource;

  readonly #accounts: boolean;

  constructor(data: DataSource, { accounts }: Configuration) {
    this.#data = data;
    this.#accounts = accounts;
  }

  @Get()
  @Unlimited()
  @OpenToAll()
  @ApiOperation({ summary: 'Whether the server and its database answer' })
  async health(): Promise<{ status: 'ok'; memoryBytes?: number }> {
    try {
      await this.#data.query('SELECT 1');
    } catch {
      throw noDatabase();
    }
    // To whom it may concern, the rest: not to whoever comes by.
    return {
      status: 'ok',
      ...(this.#accounts ? {} : { memoryBytes: process.memoryUsage().rss }),
    };
  }
}
