import type { Request, RequestHandler, Response } from 'express';
import { ipKeyGenerator, rateLimit } from 'express-rate-limit';
import type {} from 'express-session';
import { Problem } from './problems/problem.ts';

const minuteMs = 60_000;

interface Rate {
  readonly perMinute: number;
  readonly counts: (request: Request) => boolean;
  /** What is counted by; the address if left out. */
  readonly by?: (request: Request) => string;
}

/** Refuses what is asked too often, and says in a sentence and in `Retry-After` when one may come again. */
function limit({ perMinute, counts, by }: Rate): RequestHandler {
  return rateLimit({
    windowMs: minuteMs,
    limit: perMinute,
    standardHeaders: false,
    legacyHeaders: false,
    skip: (request) => !counts(request),
    keyGenerator: by ?? ((request) => ipKeyGenerator(request.ip ?? '')),
    handler: (request: Request & { rateLimit?: { resetTime?: Date } }, response: Response) => {
      const leftMs = (request.rateLimit?.resetTime?.getTime() ?? 0) - Date.now();
      const seconds = Math.max(1, Math.ceil(leftMs / 1000));
      response.set('Retry-After', String(seconds));
      throw new Problem(429, {
        code: 'too-often',
        sentence: `That was asked too often; it can be asked again in ${seconds} s.`,
      });
    },
  });
}

/** All that is asked, from each address; but for audio, of which a listening browser asks dozens of times a second, and for health. */
export function requestRate(perMinute: number): RequestHandler {
  return limit({
    perMinute,
    counts: ({ path }) =>
      path.startsWith('/api/') &&
      path !== '/api/health' &&
      path !== '/api/recordings/ranges' &&
      !path.endsWith('/audio'),
  });
}

/** Wherever a password can be tried. */
const isSignIn = ({ method, path }: Request) =>
  (method === 'POST' && path === '/api/session') || path === '/api/session/password';

/** Attempts to sign in: from each address, and by each name, wherever from. To be put behind the reading of bodies. */
export function signInRates(perMinute: number): RequestHandler[] {
  return [
    limit({ perMinute, counts: isSignIn }),
    limit({
      perMinute: 10,
      counts: isSignIn,
      by: ({ body, session }) => {
        const name = (body as { name?: unknown } | null)?.name;
        return typeof name === 'string'
          ? name.slice(0, 40).toLowerCase()
          : `of ${session?.accountId ?? 'nobody'}`;
      },
    }),
  ];
}
