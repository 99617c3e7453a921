import type { NextFunction, Request, RequestHandler, Response } from 'express';
import type { Configuration } from './configuration/configuration.ts';
import { Problem } from './problems/problem.ts';

/** So deep may what is sent be nested; a song's edits need some twelve. */
const deepest = 40;

/**
 * Only requests to this server, from its own pages or from programs: a name that leads here from elsewhere, and another
 * site's page, are refused before anything is looked at. Whatever changes something must say that it is JSON, or a file:
 * what a form of another site cannot say without asking first.
 */
export function fromHere(configuration: Configuration): RequestHandler {
  return (request: Request, _: Response, next: NextFunction) => {
    const host = request.headers.host ?? '';
    if (!configuration.knowsHost(nameOf(host)))
      throw new Problem(421, {
        code: 'other-host',
        sentence:
          'This server is not known by the name that was asked for. Names beside its address are given with PANNET_NAMES.',
      });
    if (request.method === 'GET' || request.method === 'HEAD' || request.method === 'OPTIONS') {
      next();
      return;
    }
    const { origin } = request.headers;
    const site = request.headers['sec-fetch-site'];
    const own = origin === undefined || isOwn(origin, host, configuration);
    if (!own || (site !== undefined && site !== 'same-origin' && site !== 'none'))
      throw new Problem(403, {
        code: 'other-origin',
        sentence: 'This was asked by a page of another site, which may change nothing here.',
      });
    const allowed = typesOf(request);
    const type = (request.headers['content-type'] ?? '').split(';')[0].trim().toLowerCase();
    if (request.method !== 'DELETE' && !allowed.includes(type))
      throw new Problem(415, {
        code: 'other-type',
        sentence: `The content type must be ${allowed.join(' or ')}.`,
      });
    // JSON is UTF-8 (RFC 8259, 8.1); in another coding it would pass the look at how deep it is.
    const charset = /charset\s*=\s*"?([^";\s]+)/i.exec(request.headers['content-type'] ?? '')?.[1];
    if (charset !== undefined && charset.toLowerCase() !== 'utf-8')
      throw new Problem(415, {
        code: 'other-charset',
        sentence: `The charset must be utf-8; it was ${charset.slice(0, 40)}.`,
      });
    next();
  };
}

function nameOf(host: string): string {
  return host.replace(/:\d+$/, '');
}

function isOwn(origin: string, host: string, configuration: Configuration): boolean {
  if (!URL.canParse(origin)) return false;
  const from = new URL(origin);
  if (from.host === host) return true;
  // A proxy in front may have another port, or none.
  return configuration.names.some((name) => name.toLowerCase() === from.hostname);
}

function typesOf({ path }: Request): readonly string[] {
  return path === '/api/recordings' || path === '/api/recordings/originals'
    ? ['application/octet-stream']
    : ['application/json'];
}

/** All but an upload is small: what has not come in this time is not waited for. */
export function comesInTime(patienceMs: number): RequestHandler {
  return (request: Request, response: Response, next: NextFunction) => {
    const { headers } = request;
    const hasBody = headers['content-length'] !== undefined || 'transfer-encoding' in headers;
    if (!hasBody || typesOf(request).includes('application/octet-stream')) {
      next();
      return;
    }
    const late = setTimeout(() => request.destroy(), patienceMs);
    request.once('end', () => clearTimeout(late));
    response.once('close', () => clearTimeout(late));
    next();
  };
}

/** Refuses JSON that is nested beyond all sense before anything walks it. For body-parser's `verify`. */
export function notTooDeep(_: unknown, __: unknown, body: Buffer): void {
  let depth = 0;
  let inText = false;
  for (let n = 0; n < body.length; n++) {
    const byte = body[n];
    if (inText) {
      if (byte === 0x5c) n++;
      else if (byte === 0x22) inText = false;
    } else if (byte === 0x22) inText = true;
    else if (byte === 0x5b || byte === 0x7b) {
      if (++depth > deepest)
        throw new Problem(400, {
          code: 'too-deep',
          sentence: `The request is nested more than ${deepest} levels deep.`,
        });
    } else if (byte === 0x5d || byte === 0x7d) depth--;
  }
}
