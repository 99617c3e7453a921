import * as z from 'zod';
import { failure } from '../../outcome.ts';
import { id, type Described, type Description } from '../../parameters/description.ts';
import { describe } from '../../parameters/parameter.ts';
import { isSame } from '../../parameters/same.ts';
import { checkSong, type Song } from '../song.ts';
import { edited, editOf, type Edit, type EditModule } from './edit.ts';

/** The lists of a song whose things have ids of their own. */
export type ListKey = 'moves' | 'groups' | 'rooms';

/** What a change of a list says: things to put in by their ids, ids to drop, and the order where that is another. */
export interface ListChange<Kind extends string, Item> {
  readonly kind: Kind;
  readonly put: readonly Item[];
  readonly drop: readonly string[];
  readonly order: readonly string[] | null;
}

function changeDescription<const Kind extends string, Item extends Description>(
  kind: Kind,
  item: Item,
  most: number,
  what: string,
) {
  return editOf(kind, {
    /** Each takes the place of the one that has its id, or comes behind all others. */
    put: z.array(item).max(most).default([]),
    drop: z.array(id(what)).max(most).default([]),
    /** All ids as they stand afterwards; null where those that stay keep their order. */
    order: z.array(id(what)).max(most).nullable().default(null),
  });
}

/**
 * An edit that changes some things of a list and names no others, so that it is as large as what it changes.
 * @param what whose id it is, as sentences say it: “a move”
 */
export function changeList<const Kind extends string, Item extends Description>(
  kind: Kind,
  key: ListKey,
  item: Item,
  most: number,
  what: string,
): EditModule<ReturnType<typeof changeDescription<Kind, Item>>> {
  type Change = ListChange<Kind, { readonly id: string }>;
  const description = changeDescription(kind, item, most, what);
  return {
    description,
    apply: (song, edit) => {
      const change = edit as unknown as Change;
      const before: readonly { readonly id: string }[] = song[key];
      const known = new Map(before.map((one) => [one.id, one]));
      const unknown = change.drop.find((each) => !known.has(each));
      if (unknown !== undefined)
        return failure('not-there', `The song has no such thing as ${describe(unknown)}.`, 'drop');
      const put = new Map(change.put.map((one) => [one.id, one]));
      const dropped = new Set(change.drop);
      const twice =
        put.size !== change.put.length ||
        dropped.size !== change.drop.length ||
        change.drop.some((each) => put.has(each));
      if (twice) return failure('same-id', 'A change names each id once.', 'put');
      let after = [
        ...before.filter((one) => !dropped.has(one.id)).map((one) => put.get(one.id) ?? one),
        ...change.put.filter((one) => !known.has(one.id)),
      ];
      if (change.order) {
        const byId = new Map(after.map((one) => [one.id, one]));
        const isWhole =
          change.order.length === after.length &&
          new Set(change.order).size === after.length &&
          change.order.every((each) => byId.has(each));
        if (!isWhole)
          return failure('bad-order', 'The order names every id of the list once.', 'order');
        after = change.order.flatMap((each) => byId.get(each) ?? []);
      }
      const changed = checkSong({ ...song, [key]: after } as Song);
      if (!changed.ok) return changed;
      const inverse: Change = {
        kind,
        put: before.filter((one) => put.has(one.id) || dropped.has(one.id)),
        drop: change.put.filter((one) => !known.has(one.id)).map((one) => one.id),
        order: dropped.size > 0 || change.order ? before.map((one) => one.id) : null,
      };
      return edited(changed.value, inverse as unknown as Edit);
    },
    // The ticks of one gesture change the same things.
    merge: (earlier, later) => {
      const [first, second] = [earlier, later] as unknown as [Change, Change];
      const plain = [first, second].every(({ drop, order }) => drop.length === 0 && order === null);
      const ids = ({ put }: Change) => put.map((one) => one.id).join();
      return plain && ids(first) === ids(second) ? later : null;
    },
  };
}

/** Letters of JSON that one change has at most, so that none keeps a server from its other work for long. */
const maxChangeLetters = 400_000;

/**
 * The changes that make one list of another.
 * @returns null where the lists are the same; several where one would be very large
 */
export function listChanges<Kind extends string, Item extends { readonly id: string }>(
  kind: Kind,
  before: readonly Item[],
  after: readonly Item[],
): ListChange<Kind, Item>[] {
  const known = new Map(before.map((one) => [one.id, one]));
  const ids = new Set(after.map((one) => one.id));
  const put = after.filter((one) => {
    const was = known.get(one.id);
    return !was || (was !== one && !isSame(was, one));
  });
  const drop = before.filter((one) => !ids.has(one.id)).map((one) => one.id);
  const byItself = [
    ...before.filter((one) => ids.has(one.id)).map((one) => one.id),
    ...put.filter((one) => !known.has(one.id)).map((one) => one.id),
  ];
  const order = after.map((one) => one.id);
  const reordered = order.some((each, n) => each !== byItself[n]);
  const changes: ListChange<Kind, Item>[] = [];
  let some: Item[] = [];
  let letters = 0;
  for (const one of put) {
    const more = JSON.stringify(one).length;
    if (some.length > 0 && letters + more > maxChangeLetters) {
      changes.push({ kind, put: some, drop: [], order: null });
      some = [];
      letters = 0;
    }
    some.push(one);
    letters += more;
  }
  if (some.length > 0 || drop.length > 0 || reordered)
    changes.push({ kind, put: some, drop, order: reordered ? order : null });
  return changes;
}

export type ChangeOf<Of extends Description, Kind extends string> = ListChange<Kind, Described<Of>>;
