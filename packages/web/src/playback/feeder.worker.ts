import { spliceNeeds, takeSource } from '@pannet/core/derived/splice-library';
import { prepareSplices, reachAheadMs, reachBehindMs } from '@pannet/core/rendering/offline';
import { partsInOrder, type Song } from '@pannet/core/song/song';
import { blockRange, type PcmSource } from '@pannet/core/sources/blocks';
import type { FeederToWorklet, FromFeeder, ToFeeder, Whereabouts } from './messages.ts';
import { RecordingReader } from './recording-reader.ts';

/** Supplied ahead of the playhead: long enough for a slow moment, short enough to stay small. */
const aheadSeconds = 3;
/** Blocks under way at once: enough to fill two requests, few enough that a jump need not wait long. */
const mostFetches = 64;
const reader = new RecordingReader(96e6);

let song: Song | null = null;
let worklet: MessagePort | null = null;
let whereabouts: Whereabouts = { frame: 0, loop: null, reach: { behind: 0, ahead: 0 } };
/** Blocks that the worklet has, or will get. */
const sent = new Map<string, Set<number>>();
let fetching = 0;

onmessage = (event: MessageEvent<ToFeeder>) => {
  const message = event.data;
  if (message.kind === 'song') {
    song = message.song;
    reader.know(song.recordings);
    void prepare(song);
  } else {
    worklet = message.port;
    sent.clear();
    worklet.onmessage = (told: MessageEvent<Whereabouts>) => {
      whereabouts = told.data;
      feed();
    };
  }
  feed();
};

const post = (message: FromFeeder) => postMessage(message);

const prepared = new Set<string>();

/** Plans the splices that tuned voices of the song need and that were not planned before. */
async function prepare(wanted: Song): Promise<void> {
  for (const need of spliceNeeds(wanted)) {
    // A newer song may not need this one any more.
    if (song !== wanted) return;
    if (prepared.has(need.key)) continue;
    prepared.add(need.key);
    try {
      const splices = await prepareSplices(need, wanted.rateHz ?? 48_000, reader.load);
      post({ kind: 'splices', key: need.key, splices });
    } catch (error) {
      prepared.delete(need.key);
      post({ kind: 'failed', sentence: error instanceof Error ? error.message : String(error) });
    }
  }
}

function sourcesOf(playing: Song): PcmSource[] {
  const takes = partsInOrder(playing).flatMap((part) => part.takes);
  const { bed } = playing;
  const beds = bed
    ? [0, playing.recordings[bed.recording].channels - 1].map((channel) => ({
        recording: bed.recording,
        channel,
      }))
    : [];
  const sources = [...takes, ...beds].map((take) => takeSource(playing, take));
  return [...new Map(sources.map((source) => [source.key, source])).values()];
}

interface Wanted {
  readonly source: PcmSource;
  readonly index: number;
}

/** The blocks round the playhead and the loop's start, the most urgent first. */
function wantedBlocks(playing: Song): Wanted[] {
  const rate = playing.rateHz ?? 48_000;
  const behind = (reachBehindMs * rate) / 1000;
  const ahead = (aheadSeconds + reachAheadMs / 1000) * rate;
  const { reach } = whereabouts;
  const places = [whereabouts.frame, ...(whereabouts.loop ? [whereabouts.loop.start] : [])];
  const sources = sourcesOf(playing);
  const wanted: Wanted[] = [];
  const known = new Set<string>();
  for (const place of places) {
    const row: (Wanted & { distance: number })[] = [];
    for (const source of sources) {
      const [first, last] = blockRange(source, place - behind, place + ahead);
      // What the sound waits for comes first, then what lies ahead, then what only a longer delay would need.
      const [urgent, urgentTo] = blockRange(source, place - reach.behind, place + reach.ahead);
      for (let index = first; index <= last; index++) {
        const name = `${source.key}/${index}`;
        const distance = index >= urgent && index <= urgentTo ? 0 : Math.abs(index - urgent) + 1;
        if (!known.has(name)) row.push({ source, index, distance });
        known.add(name);
      }
    }
    wanted.push(...row.sort((a, b) => a.distance - b.distance));
  }
  return wanted;
}

function feed(): void {
  if (!song || !worklet) return;
  const wanted = wantedBlocks(song);
  const keep: Record<string, number[]> = {};
  for (const { source, index } of wanted) (keep[source.key] ??= []).push(index);
  let dropped = false;
  for (const [key, indexes] of sent)
    for (const index of indexes)
      if (!keep[key]?.includes(index)) {
        indexes.delete(index);
        dropped = true;
      }
  if (dropped) worklet.postMessage({ kind: 'keep', keep } satisfies FeederToWorklet);
  for (const { source, index } of wanted) {
    if (fetching >= mostFetches) return;
    let indexes = sent.get(source.key);
    if (!indexes) sent.set(source.key, (indexes = new Set()));
    if (indexes.has(index)) continue;
    indexes.add(index);
    void supply(source, index);
  }
}

async function supply(source: PcmSource, index: number): Promise<void> {
  fetching++;
  try {
    const block = (await reader.load(source, index)).slice();
    // The playhead may have gone elsewhere meanwhile.
    if (sent.get(source.key)?.has(index))
      worklet?.postMessage(
        { kind: 'block', key: source.key, index, block } satisfies FeederToWorklet,
        [block.buffer],
      );
  } catch (error) {
    sent.get(source.key)?.delete(index);
    post({ kind: 'failed', sentence: error instanceof Error ? error.message : String(error) });
    return;
  } finally {
    fetching--;
  }
  feed();
}
