import { FailureError, type Failure } from '@pannet/core/outcome';
import type * as z from 'zod/mini';

/** The server could not be reached, or not now; what was meant for it can be sent again. */
export class ServerLost extends Error {
  /** When it can be tried again, if the server said so. */
  readonly retryMs: number | null;

  constructor(sentence = 'The server does not answer.', retryMs: number | null = null) {
    super(sentence);
    this.retryMs = retryMs;
  }
}

/** A refusal of the server, with its problem document's further members. */
export class Refused extends FailureError {
  readonly status: number;
  readonly document: Readonly<Record<string, unknown>>;
  /** When it can be tried again, if the server said so. */
  readonly retryMs: number | null;

  constructor(
    status: number,
    failure: Failure,
    document: Readonly<Record<string, unknown>>,
    retryMs: number | null = null,
  ) {
    super(failure);
    this.status = status;
    this.document = document;
    this.retryMs = retryMs;
  }
}

/** Whether a later try may bring what this one did not: the server is gone, or has no room just now. */
export function mayPass(error: unknown): boolean {
  if (error instanceof ServerLost) return true;
  if (!(error instanceof Refused)) return false;
  return error.status === 408 || error.status === 429 || error.status >= 500;
}

/**
 * Asks the server. What it answers is looked at before it is believed.
 * @param shape of the answer; null where there is none
 * @throws ServerLost, Refused
 */
export async function request<Answer>(
  method: string,
  path: string,
  shape: z.ZodMiniType<Answer> | null,
  body?: unknown,
): Promise<Answer> {
  let response: Response;
  try {
    response = await fetch(path, {
      method,
      // Whatever may change something says that it is JSON, also where it says nothing.
      ...(method === 'GET'
        ? {}
        : {
            body: JSON.stringify(body ?? {}),
            headers: { 'Content-Type': 'application/json' },
          }),
    });
  } catch {
    throw new ServerLost();
  }
  const { status } = response;
  const retryMs = retryOf(response);
  // A proxy answers for a server that is gone.
  if (status === 502 || status === 503 || status === 504) throw new ServerLost(undefined, retryMs);
  if (!response.ok) {
    // A body that breaks off says nothing of what was refused.
    const text = await response.text().catch(() => null);
    throw text === null ? new ServerLost(undefined, retryMs) : refusal(status, text, retryMs);
  }
  if (shape === null) return undefined as Answer;
  const answer = shape.safeParse(await response.json().catch(() => undefined));
  if (!answer.success)
    throw new ServerLost('The server answered something that is not understood here.');
  return answer.data;
}

function retryOf(response: Response): number | null {
  const seconds = Number(response.headers?.get('Retry-After') ?? Number.NaN);
  return Number.isFinite(seconds) && seconds >= 0 ? Math.min(seconds, 120) * 1000 : null;
}

export function refusal(status: number, text: string, retryMs: number | null = null): Refused {
  let document: Record<string, unknown> = {};
  try {
    const parsed: unknown = JSON.parse(text);
    if (typeof parsed === 'object' && parsed !== null) document = parsed as Record<string, unknown>;
  } catch {
    // Not a problem document; the status has to do.
  }
  const sentence =
    typeof document.detail === 'string' ? document.detail : `The server refused this (${status}).`;
  const code = typeof document.code === 'string' ? document.code : 'refused';
  return new Refused(status, { code, sentence }, document, retryMs);
}

/** What to say of any error. */
export function sentenceOf(error: unknown): string {
  return error instanceof Error ? error.message : String(error);
}
