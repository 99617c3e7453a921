import { existsSync } from 'node:fs';
import type { Server } from 'node:http';
import { resolve } from 'node:path';
import { type LogLevel, ValidationPipe } from '@nestjs/common';
import { NestFactory } from '@nestjs/core';
import type { NestExpressApplication } from '@nestjs/platform-express';
import { DocumentBuilder, SwaggerModule } from '@nestjs/swagger';
import type { Express, NextFunction, Request, Response } from 'express';
import helmet from 'helmet';
import { AccountsService } from './accounts/accounts.service.ts';
import { sessions } from './accounts/sessions.ts';
import { AppModule } from './app.module.ts';
import type { Configuration } from './configuration/configuration.ts';
import { SessionsPool } from './database/pools.ts';
import { shareConnections } from './connections.ts';
import { comesInTime, fromHere, notTooDeep } from './edge.ts';
import { ProblemFilter } from './problems/problem.filter.ts';
import { strictly } from './problems/strictly.ts';

/** A request's head must have come within this time. */
const headersMs = 10_000;

/** The server as it was configured, ready to listen. */
export async function createServer(
  configuration: Configuration,
  logger: LogLevel[] | false,
): Promise<NestExpressApplication> {
  const app = await NestFactory.create<NestExpressApplication>(AppModule.of(configuration), {
    logger,
    bodyParser: false,
    abortOnError: false,
    // A client that holds its connection open does not keep the server from ending.
    forceCloseConnections: true,
  });
  const accounts = app.get(AccountsService);
  if (configuration.accounts) await accounts.settleOwners();
  await dress(app, configuration, accounts);
  return app;
}

/** What stands round the modules. */
async function dress(
  app: NestExpressApplication,
  configuration: Configuration,
  accounts: AccountsService,
): Promise<void> {
  const { behindTls, patienceMs, trustedProxies, webFolder } = configuration;
  app.set('trust proxy', trustedProxies.length > 0 ? trustedProxies : false);
  // Express compiles the addresses into this.
  const trusts = (app.getHttpAdapter().getInstance() as Express).get('trust proxy fn') as (
    address: string,
    hop: number,
  ) => boolean;
  app.set('query parser', 'simple');
  const http = app.getHttpServer() as Server;
  // An upload may take as long as it goes on: the spool sees to those that stand still, `comesInTime` to all others.
  http.requestTimeout = 0;
  http.headersTimeout = Math.min(headersMs, patienceMs);
  // Longer than proxies and browsers hold an idle connection: whoever uses one again must not find it closed.
  http.keepAliveTimeout = 65_000;
  shareConnections(http, {
    total: 1000,
    perAddress: 400,
    firstRequestMs: Math.min(headersMs, patienceMs),
    isTrusted: (address) => trusts(address, 0),
  });
  app.use(fromHere(configuration));
  app.use(comesInTime(patienceMs));
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
      // Only who comes by TLS can be told to do so always.
      strictTransportSecurity: behindTls && { maxAge: 31_536_000 },
      crossOriginEmbedderPolicy: { policy: 'require-corp' },
    }),
  );
  if (configuration.accounts)
    app.use('/api', sessions(app.get(SessionsPool), await accounts.sessionSecret(), behindTls));
  // Nest hands on what its types do not name.
  app.useBodyParser('json', { limit: '5mb', verify: notTooDeep } as { limit: string });
  app.useGlobalFilters(new ProblemFilter());
  app.useGlobalPipes(new ValidationPipe(strictly));
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
