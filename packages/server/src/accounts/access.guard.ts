import { type CanActivate, type ExecutionContext, Injectable } from '@nestjs/common';
import { Reflector } from '@nestjs/core';
import type { Request } from 'express';
import { Configuration } from '../configuration/configuration.ts';
import { Problem } from '../problems/problem.ts';
import { AccountsService } from './accounts.service.ts';
import { mostMs } from './sessions.ts';
import { anyone, openToAll, visitorOf } from './visitor.ts';

/** Lets nobody in who is not signed in, where there are accounts; says to the rest of the server who asks. */
@Injectable()
export class AccessGuard implements CanActivate {
  readonly #reflector: Reflector;
  readonly #configuration: Configuration;
  readonly #accounts: AccountsService;

  constructor(reflector: Reflector, configuration: Configuration, accounts: AccountsService) {
    this.#reflector = reflector;
    this.#configuration = configuration;
    this.#accounts = accounts;
  }

  async canActivate(context: ExecutionContext): Promise<boolean> {
    const request = context.switchToHttp().getRequest<Request>();
    if (!this.#configuration.accounts) {
      request.visitor = anyone;
      return true;
    }
    const { accountId, since = 0 } = request.session;
    const account =
      accountId && Date.now() - since < mostMs ? await this.#accounts.byId(accountId) : null;
    if (account) request.visitor = visitorOf(account);
    const open = this.#reflector.getAllAndOverride<boolean | undefined>(openToAll, [
      context.getHandler(),
      context.getClass(),
    ]);
    if (account || open) return true;
    throw new Problem(401, {
      code: 'signed-out',
      sentence: 'You are not signed in, or no longer: sign in and go on.',
    });
  }
}
