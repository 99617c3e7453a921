import * as z from 'zod';
import { checkParameter, describe, type Parameter, type ParameterTable } from './parameter.ts';

// Code is never made from text: a page that forbids it (script-src without unsafe-eval) would complain of the try.
z.config({ jitless: true });

/**
 * How things of the document are described: once, as a value. Type, check, defaults, JSON Schema, image file, API documents
 * and the arbitrary of property tests are all read from it. zod carries the structure, the parameter tables carry the numbers,
 * and the sentences are ours.
 */
export type Description = z.ZodType;

/** What a described thing is once it has been read: nothing is missing, nothing can be written to. */
export type Described<Of extends Description> = Frozen<z.output<Of>>;

type Frozen<Thing> = Thing extends string | number | boolean | null | undefined
  ? Thing
  : { readonly [Key in keyof Thing]: Frozen<Thing[Key]> };

/** The row of the table that a described number came from: for its label, unit and range. */
export const rowOf = z.registry<Parameter>();

type Value<Row> = Row extends { readonly off: string }
  ? z.ZodDefault<z.ZodNullable<z.ZodNumber>>
  : z.ZodDefault<z.ZodNumber>;

interface Raised {
  readonly input: unknown;
}

/** A number of a parameter table; left out it is the row's default, or off where it can be off. */
export function value<Row extends Parameter>(row: Row): Value<Row> {
  const error = ({ input }: Raised) => {
    const checked = checkParameter(row, input, '');
    return checked.ok ? '' : checked.error.sentence;
  };
  const { min, max, whole, off } = row;
  // JSON knows no −0: a song that came back from it would not be the one that was sent.
  const number = z
    .number({ error })
    .min(min, { error })
    .max(max, { error })
    .overwrite(positiveZero);
  const checked = whole ? number.int({ error }) : number;
  // Registered without its default, too: an edit names some of a group's rows, and leaves the others out.
  const described =
    off === undefined
      ? checked.register(rowOf, row).default(row.default)
      : checked.nullable().register(rowOf, row).default(null);
  return described.register(rowOf, row) as unknown as Value<Row>;
}

/** For every number that is described: `.overwrite(positiveZero)`. */
export const positiveZero = (number: number) => number + 0;

type Group<Table extends ParameterTable> = { [Key in keyof Table]: Value<Table[Key]> };

/** All rows of a table as the keys of an object. */
export function group<const Table extends ParameterTable>(table: Table): Group<Table> {
  return Object.fromEntries(
    Object.entries(table).map(([key, row]) => [key, value(row)]),
  ) as Group<Table>;
}

/** Exactly these keys. */
export function thing<const Shape extends z.ZodRawShape>(
  shape: Shape,
): z.ZodObject<Shape, z.core.$strict> {
  return z.strictObject(shape);
}

/** A thing that stands with all its defaults where it is left out. */
export function withDefaults<const Shape extends z.ZodRawShape>(shape: Shape) {
  return thing(shape).prefault({} as never);
}

/**
 * Some of a thing's keys, as an edit names them: what is left out stays as it was, so nothing takes its default here. Within
 * a group that is named, what is left out does.
 */
export function changesOf<Shape extends z.ZodRawShape, const Keys extends keyof Shape>(
  described: z.ZodObject<Shape, z.core.$strict>,
  keys: readonly Keys[],
) {
  const shape = Object.fromEntries(
    keys.map((key) => [
      key,
      withoutDefault(described.shape[key] as unknown as Description).optional(),
    ]),
  );
  return z.strictObject(shape) as unknown as z.ZodObject<
    { [Key in Keys]: z.ZodOptional<z.ZodType<z.output<Shape[Key]>, z.input<Shape[Key]>>> },
    z.core.$strict
  >;
}

function withoutDefault(described: Description): Description {
  const { innerType, type, checks } = described.def as {
    type: string;
    innerType?: Description;
    checks?: readonly unknown[];
  };
  if ((type !== 'default' && type !== 'prefault') || !innerType) return described;
  // A rule that stands outside the default would be lost with it.
  if (checks?.length) throw new Error('A rule belongs inside of what has the default.');
  return innerType;
}

/** One of several words, said in this order. */
export function choice<const Word extends string>(words: readonly [Word, ...Word[]]) {
  return z.literal([...words]);
}

/** A yes or a no. @param what as a sentence about it begins: “Muted” */
export function flag(what: string) {
  return z.boolean({
    error: ({ input }) => `${what} must be true or false; it was ${describe(input)}.`,
  });
}

/** Text that people read. @param what as a sentence about it begins: “A title” */
export function text(what: string, longest: number) {
  const error = ({ input }: Raised) =>
    `${what} has 1 to ${longest} characters; it was ${describe(input)}.`;
  return z
    .string({ error })
    .min(1, { error })
    .max(longest, { error })
    .refine((words) => words.trim() !== '' && !words.includes('\0'), { error });
}

const idForm = /^[A-Za-z0-9][A-Za-z0-9_.-]{0,79}$/;

/** What a thing is called by other things. @param of whose id it is: “a part” */
export function id(of: string) {
  const error = ({ input }: Raised) =>
    `The id of ${of} is 1 to 80 letters, digits, “_”, “.” or “-”; it was ${describe(input)}.`;
  return z.string({ error }).regex(idForm, { error });
}

/** The SHA-256 of a file. */
export function contentHash() {
  const error = 'A recording is named by the 64 hexadecimal digits of its SHA-256.';
  return z.string({ error }).regex(/^[0-9a-f]{64}$/, { error });
}

/** A whole number that is counted. @param what as a sentence about it begins: “A place in the list” */
export function count(what: string, least = 0, most = Number.MAX_SAFE_INTEGER) {
  const error = ({ input }: Raised) =>
    `${what} must be a whole number ${most === Number.MAX_SAFE_INTEGER ? `of ${least} or more` : `from ${least} to ${most}`}; it was ${describe(input)}.`;
  return z.int({ error }).min(least, { error }).max(most, { error }).overwrite(positiveZero);
}

/** A place in time of a day at most. @param what as a sentence about it begins: “The beginning of a clip” */
export function seconds(what: string) {
  const error = ({ input }: Raised) =>
    `${what} must be a number of seconds from 0 to 86400; it was ${describe(input)}.`;
  return z.number({ error }).min(0, { error }).max(86_400, { error }).overwrite(positiveZero);
}

/** Any finite number that no table rules. */
export function finite(what: string) {
  return z
    .number({ error: ({ input }) => `${what} must be a number; it was ${describe(input)}.` })
    .overwrite(positiveZero);
}
