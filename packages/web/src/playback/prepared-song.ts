import { spliceNeeds } from '@pannet/core/derived/splice-library';
import { compile } from '@pannet/core/rendering/compile';
import { prepareSplices } from '@pannet/core/rendering/offline';
import type { RenderPlan } from '@pannet/core/rendering/plan';
import { prepareResponse } from '@pannet/core/rooms/made-response';
import { responseNeeds, type RoomResponse } from '@pannet/core/rooms/response';
import { rateOf, type Song } from '@pannet/core/song/song';
import type { BlockLoader } from '@pannet/core/sources/blocks';
import { SpliceCache, type KnownSplices } from './known-splices.ts';
import type { RecordingReader } from './recording-reader.ts';

const splices = new SpliceCache();
const responses = new Map<string, RoomResponse>();

/**
 * The plan of a song of which only one part is needed, its splices planned: what workers render from.
 * @param known splices that were planned elsewhere
 * @param tick is called now and then while they are planned; it may throw to stop
 */
export function planOfPart(
  song: Song,
  partId: string,
  reader: RecordingReader,
  known: KnownSplices = [],
  tick: () => void = () => {},
): Promise<RenderPlan> {
  // No room is measured with it.
  return planOfParts({ ...song, rooms: [] }, [partId], reader, known, tick);
}

/** The same of several parts. */
export async function planOfParts(
  song: Song,
  partOrder: readonly string[],
  reader: RecordingReader,
  known: KnownSplices = [],
  tick: () => void = () => {},
): Promise<RenderPlan> {
  const load: BlockLoader = (source, index) => {
    tick();
    return reader.load(source, index);
  };
  for (const [key, plan] of known) splices.set(key, plan);
  reader.know(song.recordings);
  const alone: Song = { ...song, partOrder };
  const needs = spliceNeeds(alone);
  splices.trim(new Set([...needs, ...known.map(([key]) => ({ key }))].map(({ key }) => key)));
  for (const need of needs)
    if (!splices.get(need.key))
      splices.set(need.key, await prepareSplices(need, rateOf(song), load));
  const wanted = responseNeeds(song.rooms, song.recordings);
  for (const key of responses.keys())
    if (!wanted.some((need) => need.key === key)) responses.delete(key);
  for (const need of wanted)
    if (!responses.has(need.key))
      responses.set(need.key, await prepareResponse(need, rateOf(song), load));
  return compile(alone, splices, null, responses);
}
