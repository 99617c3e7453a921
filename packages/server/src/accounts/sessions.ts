import connectPgSimple from 'connect-pg-simple';
import type { RequestHandler } from 'express';
import session from 'express-session';
import type { SessionsPool } from '../database/pools.ts';

declare module 'express-session' {
  interface SessionData {
    accountId: string;
    /** When one signed in, in ms since 1970. */
    since: number;
  }
}

/** So long one stays signed in without doing anything, and so long altogether (OWASP ASVS 5.0, 7.3.1 and 7.3.2). */
const idleMs = 12 * 3_600_000;
export const mostMs = 7 * 24 * 3_600_000;

/** Bound to this host by its name, where TLS makes that possible (ASVS 5.0, 3.3.1). */
export function cookieName(behindTls: boolean): string {
  return behindTls ? '__Host-pannet' : 'pannet';
}

/** Sessions live in PostgreSQL; the browser has only a signed number of one. */
export function sessions(pool: SessionsPool, secret: string, behindTls: boolean): RequestHandler {
  const Store = connectPgSimple(session);
  return session({
    name: cookieName(behindTls),
    secret,
    store: new Store({ pool, tableName: 'sessions', pruneSessionInterval: 900 }),
    resave: false,
    saveUninitialized: false,
    rolling: true,
    cookie: { path: '/', httpOnly: true, sameSite: 'strict', secure: behindTls, maxAge: idleMs },
  });
}
