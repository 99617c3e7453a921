import { STATUS_CODES } from 'node:http';
import {
  type ArgumentsHost,
  Catch,
  type ExceptionFilter,
  HttpException,
  Logger,
} from '@nestjs/common';
import type { Request, Response } from 'express';
import { problemOf } from './failing.ts';
import { Problem } from './problem.ts';

/** Every error leaves as a problem document whose `detail` is a sentence; bugs are logged, not prettified. */
@Catch()
export class ProblemFilter implements ExceptionFilter {
  readonly #logger = new Logger('Problem');

  catch(thrown: unknown, host: ArgumentsHost): void {
    const error = thrown instanceof HttpException ? thrown : (problemOf(thrown) ?? thrown);
    const http = host.switchToHttp();
    const response = http.getResponse<Response>();
    const request = http.getRequest<Request>();
    const status = this.#status(error);
    const problem = error instanceof Problem ? error : undefined;
    // What was found to be no bug is said to the one who asked, and is no news.
    if (status >= 500 && !problem)
      this.#logger.error(error instanceof Error ? error.stack : String(error));
    if (response.headersSent) {
      response.destroy();
      return;
    }
    if (status === 503 && !response.getHeader('Retry-After')) response.set('Retry-After', '2');
    // What is still being sent is not read to its end.
    if (!request.complete) response.set('Connection', 'close');
    response
      .status(status)
      .type('application/problem+json')
      .send(
        JSON.stringify({
          type: 'about:blank',
          title: STATUS_CODES[status] ?? 'Error',
          status,
          detail: this.#detail(error, status),
          instance: request.originalUrl,
          code: problem?.failure.code ?? 'error',
          ...(problem?.failure.place ? { place: problem.failure.place } : {}),
          ...problem?.more,
        }),
      );
  }

  #status(error: unknown): number {
    if (error instanceof HttpException) return error.getStatus();
    // body-parser's errors (a body too large, broken JSON) carry their status.
    const status = (error as { status?: unknown } | null)?.status;
    return typeof status === 'number' && status >= 400 && status < 500 ? status : 500;
  }

  #detail(error: unknown, status: number): string {
    if (error instanceof Problem) return error.message;
    if (status === 413) return 'The request is too large: at most 5 MB of commands go in one.';
    if (status >= 500) return 'Something went wrong on the server; what was acknowledged is kept.';
    return error instanceof Error ? error.message : 'The request could not be understood.';
  }
}
