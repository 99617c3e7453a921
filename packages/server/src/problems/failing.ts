import { Problem } from './problem.ts';

interface Coded {
  readonly code?: unknown;
  readonly message?: unknown;
  readonly name?: unknown;
}

/** PostgreSQL's and the system's codes for what is no bug: the machine has no more to give just now. Source: PostgreSQL 15, appendix A. */
const full = new Set(['53100', 'ENOSPC', 'EDQUOT']);
const busy = new Set(['55P03', '57014', '53300', '40001', '40P01']);
const gone = new Set([
  ...['ECONNREFUSED', 'ECONNRESET', 'EPIPE', 'ENOTFOUND', '57P01', '57P02', '57P03', '25P03'],
  ...['08000', '08003', '08006', '58030'],
]);

/** What TypeORM says of a transaction whose connection died under it, by what is asked of it next. */
const released = new Set([
  'QueryRunnerAlreadyReleasedError',
  'QueryRunnerProviderAlreadyReleasedError',
]);

export function diskFull(): Problem {
  return new Problem(507, {
    code: 'disk-full',
    sentence:
      'The disk of the server is full: nothing of this was kept. Make room (“./pannet purge” gives back what no song needs) and send it again.',
  });
}

export function databaseBusy(): Problem {
  return new Problem(503, {
    code: 'busy',
    sentence: 'The server has more to do than it can at this moment; it will take this in a while.',
  });
}

export function noDatabase(): Problem {
  return new Problem(503, { code: 'no-database', sentence: 'The database does not answer.' });
}

/** The problem that an error of the database or the disk stands for; null for what is a bug. */
export function problemOf(error: unknown): Problem | null {
  const { code, message, name } = (error ?? {}) as Coded;
  const cause = (error as { readonly driverError?: unknown } | null)?.driverError;
  if (typeof code === 'string') {
    if (full.has(code)) return diskFull();
    if (busy.has(code)) return databaseBusy();
    if (gone.has(code)) return noDatabase();
  }
  if (typeof name === 'string' && released.has(name)) return noDatabase();
  if (typeof message === 'string') {
    // pg has no codes for these.
    if (/timeout exceeded when trying to connect/.test(message)) return databaseBusy();
    if (
      /Connection terminated|Client has encountered a connection error|not queryable/.test(message)
    )
      return noDatabase();
  }
  return cause && cause !== error ? problemOf(cause) : null;
}
