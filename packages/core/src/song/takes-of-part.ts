import type { Image } from '../image/image.ts';
import { mostTakes, newTakes, type Take } from '../takes/take.ts';
import type { Edit } from './edits/edit.ts';
import type { Part } from './part.ts';

/** A recording's channel that becomes a take. */
export type TakeToAdd = Pick<Take, 'recording' | 'channel'> & Partial<Take>;

/** The edit that puts other takes into a part: each voice plays the take that it played before, by that one's id. */
export function takesEdit(part: Part, takes: readonly Take[]): Edit {
  const before = part.takes.map(({ id }) => id);
  const now = takes.map(({ id }) => id);
  // A voice whose take is gone plays the one that stands in its place.
  const numberOf = (take: number) => {
    const kept = now.indexOf(before[take - 1]);
    return kept >= 0 ? kept + 1 : Math.min(take, now.length);
  };
  const follow = (image: Image): Image => ({
    ...image,
    voices: image.voices.map((voice) => ({ ...voice, take: numberOf(voice.take) })),
  });
  return {
    kind: 'set-takes',
    partId: part.id,
    changes: {
      // What was lined up with a take that is gone is heard as before; the next one is its reference.
      takes: takes.map((take) => {
        if (!take.align || now.includes(take.align.to)) return take;
        const next = now.find((id) => id !== take.id);
        return { ...take, align: next === undefined ? null : { ...take.align, to: next } };
      }),
      image: follow(part.image),
      drafts: Object.fromEntries(
        Object.entries(part.drafts).map(([number, draft]) => [number, follow(draft)]),
      ),
    },
  };
}

/** A part's takes with some more behind them; as many as there is room for. */
export function withMoreTakes(part: Part, more: readonly TakeToAdd[]): readonly Take[] {
  const ids = new Set(part.takes.map(({ id }) => id));
  let n = part.takes.length;
  const free = () => {
    do n++;
    while (ids.has(`t${n}`));
    return `t${n}`;
  };
  const room = Math.max(0, mostTakes - part.takes.length);
  const named = more.slice(0, room).map((take) => {
    const id = free();
    return { ...take, id, name: take.name ?? `take ${id.slice(1)}` };
  });
  return [...part.takes, ...newTakes(named)];
}
