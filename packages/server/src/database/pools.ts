import pg from 'pg';

/**
 * How long anything may wait for the database. What is longer than this is no longer waited for by anyone: it is said in a
 * sentence, and the client comes again.
 */
export const patience = {
  /** Until a connection is free. */
  connectMs: 10_000,
  /** For one statement of ordinary work. */
  statementMs: 30_000,
  /** For a row that another one is writing to. */
  lockMs: 10_000,
  /** Of a transaction that nobody goes on with. */
  idleInTransactionMs: 60_000,
  /** For a file on its way from disk to database. */
  copyMs: 900_000,
} as const;

/** Connections by what they are for, so that none of it can starve the rest; PostgreSQL is started with room for all. */
export const connections = { documents: 16, storing: 4, reading: 10, sessions: 4 } as const;

abstract class OwnPool extends pg.Pool {
  constructor(connectionString: string, max: number, statementMs: number) {
    super({
      connectionString,
      max,
      connectionTimeoutMillis: patience.connectMs,
      statement_timeout: statementMs,
      lock_timeout: patience.lockMs,
      idle_in_transaction_session_timeout: patience.idleInTransactionMs,
    });
    // A connection that dies while idle must not take the process with it; the next use opens another.
    this.on('error', () => {});
  }

  async onModuleDestroy(): Promise<void> {
    await this.end();
  }
}

/** For files that go from disk into the database; as long as one takes nobody else can use its connection. */
export class StoringPool extends OwnPool {
  constructor(url: string) {
    super(url, connections.storing, patience.copyMs);
  }
}

/** For stretches of recordings; each is read whole, and the connection given back before it is sent. */
export class ReadingPool extends OwnPool {
  constructor(url: string) {
    super(url, connections.reading, patience.statementMs);
  }
}

/** For who is signed in. */
export class SessionsPool extends OwnPool {
  constructor(url: string) {
    super(url, connections.sessions, patience.statementMs);
  }
}
