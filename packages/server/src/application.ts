import { existsSync } from 'node:fs';
import { resolve } from 'node:path';
import { type INestApplication, ValidationPipe } from '@nestjs/common';
import type { NestExpressApplication } from '@nestjs/platform-express';
import { DocumentBuilder, SwaggerModule } from '@nestjs/swagger';
import type { ValidationError } from 'class-validator';
import type { NextFunction, Request, Response } from 'express';
import helmet from 'helmet';
import { Problem } from './problems/problem.ts';
import { ProblemFilter } from './problems/problem.filter.ts';

/** What both the running server and its tests put round the modules. */
export function dress(
  app: NestExpressApplication,
  webFolder: string | undefined,
): INestApplication {
  app.use(
    helmet({
      contentSecurityPolicy: {
        directives: {
          'script-src': ["'self'", "'wasm-unsafe-eval'"],
          'worker-src': ["'self'", 'blob:'],
          'style-src': ["'self'", "'unsafe-inline'"],
          'upgrade-insecure-requests': null,
        },
      },
      strictTransportSecurity: false,
      crossOriginEmbedderPolicy: { policy: 'require-corp' },
    }),
  );
  app.useBodyParser('json', { limit: '5mb' });
  app.useGlobalFilters(new ProblemFilter());
  app.useGlobalPipes(
    new ValidationPipe({
      transform: true,
      whitelist: true,
      forbidNonWhitelisted: true,
      exceptionFactory: (errors) => new Problem(400, firstFailure(errors)),
    }),
  );
  const config = new DocumentBuilder()
    .setTitle('Pannet')
    .setDescription('Songs, their commands, and their recordings.')
    .setVersion('1')
    .build();
  SwaggerModule.setup('api/docs', app, () => SwaggerModule.createDocument(app, config), {
    jsonDocumentUrl: 'api/openapi.json',
  });
  if (webFolder && existsSync(webFolder)) serveWeb(app, resolve(webFolder));
  app.enableShutdownHooks();
  return app;
}

/** The built interface; any path that is no file and no API is a place in it. */
function serveWeb(app: NestExpressApplication, folder: string): void {
  app.useStaticAssets(folder, {
    setHeaders: (response: Response, path: string) => {
      // Built assets carry their hash in the name.
      const forever = path.includes('/assets/');
      response.set('Cache-Control', forever ? 'public, max-age=31536000, immutable' : 'no-cache');
    },
  });
  app.use((request: Request, response: Response, next: NextFunction) => {
    const page =
      request.method === 'GET' && !request.path.startsWith('/api') && !request.path.includes('.');
    if (page) response.sendFile('index.html', { root: folder });
    else next();
  });
}

function firstFailure(
  errors: ValidationError[],
  path = '',
): { code: string; sentence: string; place: string } {
  const [error] = errors;
  const place =
    path +
    (path && !/^\d+$/.test(error.property) ? '.' : '') +
    (/^\d+$/.test(error.property) ? `[${error.property}]` : error.property);
  if (error.children?.length) return firstFailure(error.children, place);
  const [reason] = Object.values(error.constraints ?? { unknown: 'is not valid' });
  return {
    code: 'bad-request',
    sentence: `The request is not right at “${place}”: ${reason}.`,
    place,
  };
}
