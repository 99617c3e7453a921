import type { ValidationPipeOptions } from '@nestjs/common';
import type { ValidationError } from 'class-validator';
import { Problem } from './problem.ts';

/** How everything that comes is read: nothing unknown is let through, and what is wrong is said in a sentence. */
export const strictly: ValidationPipeOptions = {
  transform: true,
  whitelist: true,
  forbidNonWhitelisted: true,
  exceptionFactory: (errors) => new Problem(400, firstFailure(errors)),
};

function firstFailure(
  errors: ValidationError[],
  path = '',
): { code: string; sentence: string; place: string } {
  const [error] = errors;
  const place =
    path +
    (path && !/^\d+$/.test(error.property) ? '.' : '') +
    (/^\d+$/.test(error.property) ? `[${error.property}]` : error.property);
  if (error.children?.length) return firstFailure(error.children, place);
  const [reason] = Object.values(error.constraints ?? { unknown: 'is not valid' });
  return {
    code: 'bad-request',
    sentence: `The request is not right at “${place}”: ${reason}.`,
    place,
  };
}
