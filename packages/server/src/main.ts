import 'reflect-metadata';
import type { AddressInfo } from 'node:net';
import { AccountsService } from './accounts/accounts.service.ts';
import { createServer } from './application.ts';
import { ConfigurationError, readConfiguration } from './configuration/configuration.ts';
import { DemoService } from './demo/demo.service.ts';
import { endWithParent } from './ending-with-parent.ts';
import { problemOf } from './problems/failing.ts';

try {
  endWithParent(process.env);
  const configuration = readConfiguration(process.env);
  const { host, port, accounts, demo, names } = configuration;
  const app = await createServer(configuration, ['error', 'warn']);
  if (accounts && (await app.get(AccountsService).list()).length === 0)
    throw new ConfigurationError(
      'Others than the users of this machine could come, and there is no account yet: make one with “./pannet account add NAME”, then start again.',
    );
  if (demo) await app.get(DemoService).seed(console.log);
  if (accounts) await app.get(AccountsService).settleOwners();
  await app.listen(port, host);
  const { port: heard } = app.getHttpServer().address() as AddressInfo;
  const named = names[0] ? ` (also ${names.join(', ')})` : '';
  console.log(
    `Pannet listens on http://${host.includes(':') ? `[${host}]` : host}:${heard}/${named}`,
  );
} catch (error) {
  console.error(sentenceOf(error));
  process.exit(1);
}

/** What the one who starts it can do something about is a sentence; a bug is shown as it is. */
function sentenceOf(error: unknown): string {
  if (error instanceof ConfigurationError) return error.message;
  const { code, message } = error as { code?: string; message?: string };
  if (code === 'EADDRINUSE') return 'The port is taken: choose another with --port.';
  if (code === 'EADDRNOTAVAIL') return 'This machine does not have the address of --host.';
  if (code === 'EACCES' || code === 'EROFS' || code === 'ENOTDIR' || code === 'EEXIST')
    return `The folder for uploads cannot be written to: ${message}.`;
  if (problemOf(error) || /^[23]\w{4}$/.test(code ?? ''))
    return `The database cannot be used: ${message}. DATABASE_URL says which it is.`;
  return error instanceof Error ? (error.stack ?? error.message) : String(error);
}
