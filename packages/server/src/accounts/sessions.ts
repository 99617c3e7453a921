import connectPgSimple from 'connect-pg-simple';
import type { RequestHandler } from 'express';
import session from 'express-session';
import type { SessionsPool } from '../database/pools.ts';

declare module 'express-session' {
  interface SessionData {
    accountId: string;
  }
}

/** So long one stays signed in without doing anything, and so long altogether at most (OWASP ASVS 5.0, 7.3.1 and 7.3.2). */
const idleMs = 12 * 3_600_000;

/** Sessions live in PostgreSQL; the browser has only a signed number of one. */
export function sessions(pool: SessionsPool, secret: string): RequestHandler {
  const Store = connectPgSimple(session);
  return session({
    name: 'pannet',
    secret,
    store: new Store({ pool, tableName: 'sessions', pruneSessionInterval: 900 }),
    resave: false,
    saveUninitialized: false,
    rolling: true,
    cookie: { path: '/', httpOnly: true, sameSite: 'strict', secure: 'auto', maxAge: idleMs },
  });
}
