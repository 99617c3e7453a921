import { type CanActivate, type ExecutionContext, Injectable, SetMetadata } from '@nestjs/common';
import { Reflector } from '@nestjs/core';
import type { Request, RequestHandler, Response } from 'express';
import { ipKeyGenerator, rateLimit } from 'express-rate-limit';
import type {} from 'express-session';
import { Configuration } from './configuration/configuration.ts';
import { Problem } from './problems/problem.ts';

const minuteMs = 60_000;
const signInsPerName = 10;

/** How a route counts towards what may be asked in a minute. */
type Rate = 'general' | 'sign-in' | 'unlimited';
const rateKey = 'pannet:rate';

/** For a route where a password can be tried: from each address, and by each name, wherever from. */
export const LimitedAsSignIn = () => SetMetadata(rateKey, 'sign-in' satisfies Rate);
/** For audio, of which a listening browser asks dozens of times a second, and for health. */
export const Unlimited = () => SetMetadata(rateKey, 'unlimited' satisfies Rate);

/** Refuses what is asked too often, and says in a sentence and in `Retry-After` when it can be asked again. */
function limiter(perMinute: number, by?: (request: Request) => string): RequestHandler {
  return rateLimit({
    windowMs: minuteMs,
    limit: perMinute,
    standardHeaders: false,
    legacyHeaders: false,
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

function triedName({ body, session }: Request): string {
  const name = (body as { name?: unknown } | null)?.name;
  return typeof name === 'string'
    ? name.slice(0, 40).toLowerCase()
    : `of ${session?.accountId ?? 'nobody'}`;
}

/**
 * Limits how often each route is asked. A guard, so that a limit belongs to the route itself, however its path is spelled.
 * Stands before the guard that asks who comes.
 */
@Injectable()
export class RateGuard implements CanActivate {
  readonly #reflector: Reflector;
  readonly #limiters: Readonly<Record<Rate, readonly RequestHandler[]>>;

  constructor(reflector: Reflector, { requestsPerMinute, signInsPerMinute }: Configuration) {
    this.#reflector = reflector;
    const general = limiter(requestsPerMinute);
    this.#limiters = {
      unlimited: [],
      general: [general],
      'sign-in': [general, limiter(signInsPerMinute), limiter(signInsPerName, triedName)],
    };
  }

  async canActivate(context: ExecutionContext): Promise<boolean> {
    const http = context.switchToHttp();
    const rate = this.#reflector.getAllAndOverride<Rate | undefined>(rateKey, [
      context.getHandler(),
      context.getClass(),
    ]);
    for (const limit of this.#limiters[rate ?? 'general'])
      await new Promise<void>((resolve, reject) => {
        const next = (error?: unknown) => (error ? reject(error as Error) : resolve());
        void limit(http.getRequest<Request>(), http.getResponse<Response>(), next);
      });
    return true;
  }
}
