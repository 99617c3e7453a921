import { FailureError, type Failure } from '@pannet/core/outcome';

/** The server could not be reached at all; what was meant for it can be sent again. */
export class ServerLost extends Error {
  constructor() {
    super('The server does not answer.');
  }
}

/** A refusal of the server, with its problem document's further members. */
export class Refused extends FailureError {
  readonly status: number;
  readonly document: Readonly<Record<string, unknown>>;
  constructor(status: number, failure: Failure, document: Readonly<Record<string, unknown>>) {
    super(failure);
    this.status = status;
    this.document = document;
  }
}

/** @throws ServerLost, Refused */
export async function request<Answer>(
  method: string,
  path: string,
  body?: unknown,
): Promise<Answer> {
  let response: Response;
  try {
    response = await fetch(path, {
      method,
      ...(body === undefined
        ? {}
        : { body: JSON.stringify(body), headers: { 'Content-Type': 'application/json' } }),
    });
  } catch {
    throw new ServerLost();
  }
  // A proxy answers for a server that is gone.
  if (response.status === 502 || response.status === 503 || response.status === 504)
    throw new ServerLost();
  if (!response.ok) throw refusal(response.status, await response.text());
  return response.status === 204
    ? (undefined as Answer)
    : ((await response.json().catch(() => Promise.reject(new ServerLost()))) as Answer);
}

export function refusal(status: number, text: string): Refused {
  let document: Record<string, unknown> = {};
  try {
    document = JSON.parse(text) as Record<string, unknown>;
  } catch {
    // Not a problem document; the status has to do.
  }
  const sentence =
    typeof document.detail === 'string' ? document.detail : `The server refused this (${status}).`;
  const code = typeof document.code === 'string' ? document.code : 'refused';
  return new Refused(status, { code, sentence }, document);
}

/** What to say of any error. */
export function sentenceOf(error: unknown): string {
  return error instanceof Error ? error.message : String(error);
}
