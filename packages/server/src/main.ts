import 'reflect-metadata';
import { NestFactory } from '@nestjs/core';
import type { NestExpressApplication } from '@nestjs/platform-express';
import { AppModule } from './app.module.ts';
import { dress } from './application.ts';
import { DemoService } from './demo/demo.service.ts';

// Loopback only, unless the one who starts it says otherwise.
const host = process.env.PANNET_HOST ?? '127.0.0.1';
const port = Number(process.env.PORT ?? 4870);

const app = await NestFactory.create<NestExpressApplication>(AppModule, {
  logger: ['error', 'warn'],
  bodyParser: false,
});
dress(app, process.env.PANNET_WEB);
if (process.env.PANNET_DEMO !== 'off') await app.get(DemoService).seed(console.log);
await app.listen(port, host);
console.log(`Pannet listens on http://${host}:${port}/`);
