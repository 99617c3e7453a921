import type * as z from 'zod';
import { failure, success, type Failure, type Outcome } from '../outcome.ts';
import type { Described, Description } from './description.ts';
import { describe } from './parameter.ts';

type Issue = z.core.$ZodIssue;

/**
 * Reads what came from outside by its description: what is left out has its default then, and all of it is allowed.
 * @param place path of the thing in what came; empty for all of it
 * @param what as a sentence about it begins, where it has no path: “An image file”
 */
export function read<Of extends Description>(
  description: Of,
  received: unknown,
  place = '',
  what = 'This',
): Outcome<Described<Of>> {
  const parsed = description.safeParse(received, { reportInput: true });
  if (parsed.success) return success(parsed.data as Described<Of>);
  return { ok: false, error: worded(description, parsed.error.issues[0], place, what) };
}

/** A failure of the first thing that is wrong. */
function worded(description: Description, found: Issue, place: string, what: string): Failure {
  const issue = deepest(found);
  const path = pathOf(issue.path, place);
  const named = path ? `“${path}”` : what;
  const input = issue.input;
  const refused = (code: string, sentence: string, at = path) =>
    (failure(code, sentence, at) as { ok: false; error: Failure }).error;
  switch (issue.code) {
    case 'unrecognized_keys': {
      const at = path ? `${path}.${issue.keys[0]}` : issue.keys[0];
      const known = keysAt(description, issue.path, input)
        .map((key) => `“${key}”`)
        .join(', ');
      return refused('unknown-key', `“${at}” is not known here; known are ${known}.`, at);
    }
    case 'invalid_type': {
      if (input === undefined) return refused('missing-key', `${named} is missing.`);
      if (issue.expected === 'object' || issue.expected === 'record')
        return refused('not-an-object', `${named} must be an object; it was ${describe(input)}.`);
      if (issue.expected === 'array' || issue.expected === 'tuple')
        return refused('not-a-list', `${named} must be a list; it was ${describe(input)}.`);
      return refused(issue.expected === 'number' ? 'not-a-number' : 'wrong-type', issue.message);
    }
    case 'invalid_union': {
      // A description that has words of its own for this.
      if (!issue.message.startsWith('Invalid')) return refused('unknown-choice', issue.message);
      const nearest = nearestOption(issue);
      if (nearest) return worded(description, nearest, place, what);
      const kind = (input as { readonly kind?: unknown } | undefined)?.kind;
      const words = (issue as { readonly options?: readonly unknown[] }).options ?? [];
      return refused('unknown-choice', oneOf(named, words, kind));
    }
    case 'invalid_value':
      return issue.message.startsWith('Invalid')
        ? refused('unknown-choice', oneOf(named, issue.values, input))
        : refused('unknown-choice', issue.message);
    case 'too_small':
    case 'too_big':
      return refused('out-of-range', issue.message);
    case 'custom': {
      const { params } = issue as { readonly params?: { readonly code?: string } };
      return refused(params?.code ?? 'refused', issue.message);
    }
    default:
      return refused('refused', issue.message);
  }
}

/** Of several things that something may be: what is wrong with it for the one that it is nearest to. */
function nearestOption(issue: Issue): Issue | null {
  const { errors = [], path } = issue as {
    readonly errors?: readonly (readonly Issue[])[];
  } & Issue;
  const count = (issues: readonly Issue[]) =>
    issues.reduce(
      (sum, { code, ...rest }) =>
        sum + 1 + (code === 'unrecognized_keys' ? (rest as { keys: string[] }).keys.length : 0),
      0,
    );
  const [nearest] = [...errors].sort((a, b) => count(a) - count(b));
  const first = nearest?.at(0);
  return first ? ({ ...first, path: [...path, ...first.path] } as Issue) : null;
}

/** What is wrong with a key of a record is said where the key is. */
function deepest(issue: Issue): Issue {
  if (issue.code !== 'invalid_key') return issue;
  const [inner] = issue.issues;
  return { ...inner, path: issue.path } as Issue;
}

function oneOf(named: string, words: readonly unknown[], received: unknown): string {
  const list = words.filter((word) => word !== undefined).map(describe);
  return list.length === 1
    ? `${named} must be ${list[0]}; it was ${describe(received)}.`
    : `${named} must be one of ${list.join(', ')}; it was ${describe(received)}.`;
}

/** `voices[0].delay` */
function pathOf(path: readonly PropertyKey[], place: string): string {
  let text = place;
  for (const step of path) {
    if (typeof step === 'number') text += `[${step}]`;
    else text += text ? `.${String(step)}` : String(step);
  }
  return text;
}

/** What a description is made of, as whoever walks through it sees it. */
export interface Walked {
  readonly type: string;
  readonly innerType?: Description;
  readonly in?: Description;
  readonly shape?: Readonly<Record<string, Description>>;
  readonly element?: Description;
  readonly items?: readonly Description[];
  readonly keyType?: Description;
  readonly valueType?: Description;
  readonly options?: readonly Description[];
  readonly values?: readonly unknown[];
  readonly defaultValue?: unknown;
}

/** What a description is made of, its wrappings taken off. */
export function innermost(description: Description): Walked {
  const walked = description.def as unknown as Walked;
  const inner = walked.innerType ?? (walked.type === 'pipe' ? walked.in : undefined);
  return inner ? innermost(inner) : walked;
}

/** The keys that are known at a path of a description. */
function keysAt(description: Description, path: readonly PropertyKey[], input: unknown): string[] {
  let at = innermost(description);
  for (const step of path) {
    const next =
      at.shape?.[String(step)] ??
      at.element ??
      at.items?.[Number(step)] ??
      at.valueType ??
      at.options?.find((option) => innermost(option).shape?.[String(step)]);
    if (!next) return [];
    at = innermost(next);
  }
  if (at.options) {
    const kind = (input as { readonly kind?: unknown }).kind;
    const chosen = at.options.find(
      (option) => innermost(option).shape?.kind?.safeParse(kind).success,
    );
    const keys = Object.keys(input as object);
    const shared = (option: Description) =>
      keys.filter((key) => key in (innermost(option).shape ?? {})).length;
    at = innermost(chosen ?? [...at.options].sort((a, b) => shared(b) - shared(a))[0]);
  }
  return Object.keys(at.shape ?? {});
}
