import { createParamDecorator, type ExecutionContext, SetMetadata } from '@nestjs/common';
import type { Request } from 'express';
import type { AccountEntity } from './account.entity.ts';

/**
 * Who asks. Without accounts (loopback alone) it is whoever uses this machine, who may do everything; with them it is one
 * account, or nobody.
 */
export type Visitor =
  | { readonly kind: 'anyone' }
  | { readonly kind: 'account'; readonly id: string; readonly name: string };

export const anyone: Visitor = { kind: 'anyone' };

export function visitorOf({ id, name }: AccountEntity): Visitor {
  return { kind: 'account', id, name };
}

/** The id of the account, or null where there are none. */
export function ownerOf(visitor: Visitor): string | null {
  return visitor.kind === 'account' ? visitor.id : null;
}

declare module 'express' {
  interface Request {
    /** Set by the guard for every request that needs one. */
    visitor?: Visitor;
  }
}

/** Gives a handler its visitor; the guard has seen to it that there is one. */
export const Asking = createParamDecorator((_: unknown, context: ExecutionContext): Visitor => {
  const { visitor } = context.switchToHttp().getRequest<Request>();
  if (!visitor) throw new Error('A request without a visitor came past the guard.');
  return visitor;
});

export const openToAll = 'pannet:open-to-all';
/** For what nobody needs an account for. */
export const OpenToAll = () => SetMetadata(openToAll, true);
