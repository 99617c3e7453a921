import * as z from 'zod/mini';
import { request } from './request.ts';

const session = z.object({ accounts: z.boolean(), name: z.nullable(z.string()) });

/** Whether one has to sign in here, and who is. */
export type AccountSession = z.output<typeof session>;

export const sessionKey = ['session'];
export const getSession = () => request('GET', '/api/session', session);
export const signIn = (name: string, password: string) =>
  request('POST', '/api/session', session, { name, password });
export const signOut = () => request<void>('DELETE', '/api/session', null);
export const choosePassword = (current: string, next: string) =>
  request<void>('PUT', '/api/session/password', null, { current, next });
