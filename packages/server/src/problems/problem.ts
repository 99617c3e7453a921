import { HttpException } from '@nestjs/common';
import type { Failure } from '@pannet/core/outcome';

/** A failure on its way to becoming a problem document (RFC 9457). */
export class Problem extends HttpException {
  readonly failure: Failure;
  readonly more: Readonly<Record<string, unknown>>;

  /** @param more further members of the document */
  constructor(status: number, failure: Failure, more: Readonly<Record<string, unknown>> = {}) {
    super(failure.sentence, status);
    this.failure = failure;
    this.more = more;
  }
}

export function notFound(sentence: string): Problem {
  return new Problem(404, { code: 'not-found', sentence });
}
