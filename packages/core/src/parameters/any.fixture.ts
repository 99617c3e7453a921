import fc from 'fast-check';
import { rowOf, type Described, type Description } from './description.ts';
import type { Parameter } from './parameter.ts';
import type { Walked } from './reading.ts';

/** JSON knows no −0. */
const positiveZero = (value: number) => value + 0;

/** A value that a parameter may have; its default and its ends as often as any other. */
function anyValue({ min, max, whole, off, default: usual }: Parameter): fc.Arbitrary<unknown> {
  const value = whole
    ? fc.integer({ min, max })
    : fc.double({ min, max, noNaN: true }).map(positiveZero);
  return fc.oneof(fc.constantFrom(off === undefined ? usual : null, min, max), value);
}

interface Limits {
  readonly minimum?: number;
  readonly maximum?: number;
  readonly pattern?: RegExp;
}

/** What the checks of a number or a text say of it. */
function limitsOf(description: Description): Limits {
  const { checks = [] } = description.def as unknown as {
    readonly checks?: readonly { readonly _zod: { readonly def: Record<string, unknown> } }[];
  };
  const limits: { minimum?: number; maximum?: number; pattern?: RegExp } = {};
  for (const { _zod } of checks) {
    const { check, value, pattern } = _zod.def;
    if (check === 'greater_than') limits.minimum = Number(value);
    if (check === 'less_than') limits.maximum = Number(value);
    if (pattern instanceof RegExp) limits.pattern = pattern;
  }
  return limits;
}

/** Anything that a description reads, made of the description alone; what its own rules refuse is left out. */
export function anyOf<Of extends Description>(description: Of): fc.Arbitrary<Described<Of>> {
  return anyInput(description)
    .map((input) => description.safeParse(input))
    .filter(({ success }) => success)
    .map(({ data }) => data as Described<Of>);
}

/** As it may come in; each thing with rules of its own keeps them by itself, so that few tries are in vain. */
function anyInput(description: Description): fc.Arbitrary<unknown> {
  const row = rowOf.get(description);
  if (row) return anyValue(row);
  const { checks } = description.def as { readonly checks?: readonly unknown[] };
  const any = anyLoose(description);
  return checks?.length ? any.filter((input) => description.safeParse(input).success) : any;
}

function anyLoose(description: Description): fc.Arbitrary<unknown> {
  const walked = description.def as unknown as Walked;
  const { minimum, maximum, pattern } = limitsOf(description);
  switch (walked.type) {
    case 'object':
      return fc.record(
        Object.fromEntries(
          Object.entries(walked.shape ?? {}).map(([key, inner]) => [key, anyInput(inner)]),
        ),
      );
    case 'default':
    case 'prefault': {
      const inner = anyInput(walked.innerType as Description);
      return fc.oneof(
        { weight: 1, arbitrary: fc.constant(walked.defaultValue) },
        { weight: 3, arbitrary: inner },
      );
    }
    case 'optional':
      return anyInput(walked.innerType as Description);
    case 'nullable':
      return fc.oneof(fc.constant(null), anyInput(walked.innerType as Description));
    case 'pipe':
      return anyInput(walked.in as Description);
    case 'literal':
      return fc.constantFrom(...(walked.values ?? []));
    case 'union':
      return fc.oneof(...(walked.options ?? []).map(anyInput));
    case 'array':
      if ((walked.element as Description).type === 'never') return fc.constant([]);
      return fc.array(anyInput(walked.element as Description), { maxLength: 3 });
    case 'tuple':
      return fc.tuple(...(walked.items ?? []).map(anyInput));
    case 'record':
      return fc.dictionary(
        anyInput(walked.keyType as Description) as fc.Arbitrary<string>,
        anyInput(walked.valueType as Description),
        { maxKeys: 3 },
      );
    case 'boolean':
      return fc.boolean();
    case 'string':
      return pattern ? fc.stringMatching(pattern) : fc.string({ minLength: 1, maxLength: 20 });
    case 'number': {
      // No table: between what is asked for, near what a delay may be, so that most of them are read.
      const min = minimum ?? -50;
      const max = Math.min(maximum ?? Math.max(150, min + 1000), 1e6);
      return fc.oneof(
        fc.constant(min),
        fc.integer({ min: Math.ceil(min), max: Math.floor(max) }),
        fc.double({ min, max, noNaN: true }).map(positiveZero),
      );
    }
    default:
      throw new Error(`Nothing makes a ${walked.type}.`);
  }
}
