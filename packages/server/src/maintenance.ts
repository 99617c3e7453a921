import 'reflect-metadata';
import { readFileSync } from 'node:fs';
import { createInterface } from 'node:readline/promises';
import { parseArgs } from 'node:util';
import { Writable } from 'node:stream';
import { NestFactory } from '@nestjs/core';
import { AccountsService } from './accounts/accounts.service.ts';
import { AppModule } from './app.module.ts';
import { BackupError } from './backup/backup-error.ts';
import { readBackup } from './backup/read-backup.ts';
import { megabytes, writeBackup } from './backup/write-backup.ts';
import { ConfigurationError, readConfiguration } from './configuration/configuration.ts';
import { endWithParent } from './ending-with-parent.ts';
import { problemOf } from './problems/failing.ts';
import { PurgeService } from './upkeep/purge.service.ts';

// Work on the database without the server: accounts, purging, backing up, restoring. ./pannet starts it.

const usage =
  'account add|password|remove NAME · account list · purge [--days N] · backup FILE · restore FILE';

async function main(words: string[]): Promise<number> {
  const { values, positionals } = parseArgs({
    args: words,
    allowPositionals: true,
    options: { days: { type: 'string' } },
  });
  const [command, action, name] = positionals;
  if (command === 'backup' || command === 'restore') {
    await (command === 'backup' ? backup : restore)(action);
    return 0;
  }
  // Its migrations run as it connects.
  const app = await NestFactory.createApplicationContext(
    AppModule.of(readConfiguration(process.env)),
    { logger: ['error'], abortOnError: false },
  );
  try {
    if (command === 'account') return await account(app.get(AccountsService), action, name);
    if (command === 'purge') return await purge(app.get(PurgeService), values.days);
  } finally {
    await app.close();
  }
  throw new ConfigurationError(`There is no “${command}”: ${usage}.`);
}

async function backup(file: string): Promise<void> {
  const { songs, recordings, bytes } = await writeBackup(
    databaseUrl(),
    file,
    version(),
    console.error,
  );
  console.log(`Songs: ${songs}; recordings: ${recordings}; ${megabytes(bytes)} of data.`);
}

async function restore(file: string): Promise<void> {
  const { songs, recordings, bytes } = await readBackup(databaseUrl(), file, console.error);
  console.log(
    `Songs: ${songs}; recordings: ${recordings}; ${megabytes(bytes)} of data, all checked.`,
  );
}

function databaseUrl(): string {
  return readConfiguration(process.env).databaseUrl;
}

function version(): string {
  const text = readFileSync(new URL('../package.json', import.meta.url), 'utf8');
  return (JSON.parse(text) as { version: string }).version;
}

async function account(
  accounts: AccountsService,
  action: string | undefined,
  name: string | undefined,
): Promise<number> {
  if (action === 'list') {
    const all = await accounts.list();
    for (const { name: each, createdAt } of all)
      console.log(`${each}   since ${createdAt.toISOString().slice(0, 10)}`);
    if (all.length === 0) console.log('There is no account.');
    return 0;
  }
  if (!name) throw new ConfigurationError(`An account has a name: ${usage}.`);
  const outcome =
    action === 'add'
      ? await accounts.add(name, await askPassword())
      : action === 'password'
        ? await accounts.setPassword(name, await askPassword())
        : action === 'remove'
          ? await accounts.remove(name)
          : null;
  if (!outcome) throw new ConfigurationError(`There is no “account ${action}”: ${usage}.`);
  if (!outcome.ok) throw new ConfigurationError(outcome.error.sentence);
  console.log(
    action === 'remove'
      ? `“${name}” is no more; songs that were theirs belong to the oldest account.`
      : `“${name}” may sign in${action === 'password' ? '; all sessions of the old password have ended' : ''}.`,
  );
  return 0;
}

/** Typed twice where someone types it, unseen; one line of the input otherwise. */
async function askPassword(): Promise<string> {
  const { stdin } = process;
  const silent = new Writable({ write: (_, __, done) => done() });
  const lines = createInterface({
    input: stdin,
    output: stdin.isTTY ? silent : undefined,
    terminal: stdin.isTTY,
  });
  try {
    if (!stdin.isTTY) {
      for await (const line of lines) return line;
      return '';
    }
    process.stderr.write('Password: ');
    const password = await lines.question('');
    process.stderr.write('\nAgain: ');
    const again = await lines.question('');
    process.stderr.write('\n');
    if (password !== again) throw new ConfigurationError('The two were not the same.');
    return password;
  } finally {
    lines.close();
  }
}

async function purge(service: PurgeService, days: string | undefined): Promise<number> {
  if (days !== undefined && !/^\d{1,4}$/.test(days))
    throw new ConfigurationError(`--days must be a whole number from 0 to 9999; it was “${days}”.`);
  const { songs, recordings, bytes, givenBackBytes } = await service.purge(
    days === undefined ? undefined : Number(days),
  );
  const mb = (count: number) => `${(count / 1e6).toFixed(1)} MB`;
  console.log(
    `Purged: songs deleted long ago: ${songs}; recordings that nothing needs: ${recordings} (${mb(bytes)}). The disk has ${mb(givenBackBytes)} back.`,
  );
  return 0;
}

try {
  endWithParent(process.env);
  process.exitCode = await main(process.argv.slice(2));
} catch (error) {
  const problem = problemOf(error);
  if (!(error instanceof ConfigurationError || error instanceof BackupError || problem))
    throw error;
  console.error(problem?.message ?? (error as Error).message);
  process.exitCode = 1;
}
