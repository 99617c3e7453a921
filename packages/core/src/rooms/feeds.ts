import type { Feed, Room } from './room.ts';

/** Of one part a room takes the same thing once. */
const same = (a: Feed, b: Feed) =>
  a.partId === b.partId && a.from === b.from && a.voiceId === b.voiceId;

/** A room that is fed by one thing more; the same one where it is fed by it already. */
export function withFeed(room: Room, feed: Feed): Room {
  return room.feeds.some((one) => same(one, feed))
    ? room
    : { ...room, feeds: [...room.feeds, feed] };
}

/** The nth feed changed; without it where `changes` is null. What comes from no voice names none. */
export function changedFeed(room: Room, n: number, changes: Partial<Feed> | null): Room {
  if (!changes) return { ...room, feeds: room.feeds.toSpliced(n, 1) };
  const next = { ...room.feeds[n], ...changes };
  const feed = next.from === 'voice' ? next : { ...next, voiceId: null };
  return { ...room, feeds: room.feeds.with(n, feed) };
}

/** The image of a part, as it is mixed. */
export function feedOf(partId: string, changes: Partial<Feed> = {}): Feed {
  return { partId, from: 'image', voiceId: null, levelDb: 0, beforeLevel: false, ...changes };
}
