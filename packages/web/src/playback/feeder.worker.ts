import { isMade, makingLoader } from '@pannet/core/derived/made-source';
import { compile } from '@pannet/core/rendering/compile';
import { planSources } from '@pannet/core/rendering/plan';
import { freshReserveMs } from '@pannet/core/rendering/player';
import type { Song } from '@pannet/core/song/song';
import { blockRange, type PcmSource } from '@pannet/core/sources/blocks';
import type { FeederToWorklet, FromFeeder, ToFeeder, Whereabouts } from './messages.ts';
import { RecordingReader } from './recording-reader.ts';

/** Supplied ahead of the playhead: long enough for a slow moment, short enough to stay small. */
const aheadSeconds = 3;
/** Round a place any delay may be dragged to at once: −50 to 150 ms, with the wander of tuner and drift. */
const behindMs = 230;
const beforeMs = 130;
/** Blocks under way at once: enough to fill two requests, few enough that a jump need not wait long. */
const mostFetches = 64;
const reader = new RecordingReader(96e6);
const loadAny = makingLoader(reader.load);

/** What the newest song reads. */
let newest: readonly PcmSource[] = [];
/** What is made for: left for the newest only when it can be heard, so that the sound follows while something is dragged. */
let target: readonly PcmSource[] = [];
const mostKnown = 1024;
/** Sources by their keys, of songs before, too, as long as they may be heard. */
const known = new Map<string, PcmSource>();
let rateHz = 48_000;
let worklet: MessagePort | null = null;
let whereabouts: Whereabouts = {
  frame: 0,
  loop: null,
  heard: [],
  reach: { behind: 0, ahead: 0 },
};
/** Blocks that the worklet has, or will get. */
const sent = new Map<string, Set<number>>();
/** Names of those of them that it has. */
const delivered = new Set<string>();
const nameOf = ({ source, index }: Pick<Wanted, 'source' | 'index'>) => `${source.key}/${index}`;
let fetching = 0;
let making = false;

onmessage = (event: MessageEvent<ToFeeder>) => {
  const message = event.data;
  if (message.kind === 'song') {
    reader.know(message.song.recordings);
    know(message.song);
  } else {
    worklet = message.port;
    sent.clear();
    delivered.clear();
    worklet.onmessage = (told: MessageEvent<Whereabouts>) => {
      whereabouts = told.data;
      feed();
    };
  }
  feed();
};

const post = (message: FromFeeder) => postMessage(message);

/** What the song reads, whether its splices are planned or not. */
function know(song: Song): void {
  const plan = compile(song, new Map());
  newest = planSources(plan);
  for (const source of newest) {
    known.delete(source.key);
    known.set(source.key, source);
  }
  // What the worklet goes over to is told later: a source is not forgotten as soon as the song has another one.
  for (const key of known.keys()) {
    if (known.size <= mostKnown) break;
    if (!whereabouts.heard.includes(key)) known.delete(key);
  }
  ({ rateHz } = plan);
}

/** Sources that are heard though the target does not read them: they have to last until it is heard. */
function outgoing(): PcmSource[] {
  const targeted = new Set(target.map(({ key }) => key));
  return whereabouts.heard.flatMap((key) => (targeted.has(key) ? [] : (known.get(key) ?? [])));
}

interface Wanted {
  readonly source: PcmSource;
  readonly index: number;
  readonly distance: number;
}

/** The blocks round the playhead and the loop's start, the most urgent first. */
function wantedBlocks(): Wanted[] {
  const behind = (behindMs * rateHz) / 1000;
  const ahead = (aheadSeconds + beforeMs / 1000) * rateHz;
  const { reach } = whereabouts;
  const places = [whereabouts.frame, ...(whereabouts.loop ? [whereabouts.loop.start] : [])];
  const wanted: Wanted[] = [];
  const listed = new Set<string>();
  const lasts = reach.ahead + (freshReserveMs * rateHz) / 1000;
  // What sounds must not run out while something else is made: its next block is wanted well before its end.
  const sources = [
    ...outgoing().map((source) => [source, lasts] as const),
    ...target.map((source) => [source, ahead] as const),
  ];
  for (const place of places) {
    const row: Wanted[] = [];
    for (const [source, until] of sources) {
      const [first, last] = blockRange(source, place - behind, place + until);
      // What the sound waits for comes first, then what it needs next, what lies ahead, what only a longer delay would need.
      const [urgent, urgentTo] = blockRange(source, place - reach.behind, place + reach.ahead);
      const [, nextTo] = blockRange(source, place, place + lasts);
      for (let index = first; index <= last; index++) {
        const name = nameOf({ source, index });
        const within = index >= urgent && index <= nextTo;
        const distance = !within ? Math.abs(index - urgent) + 1 : index <= urgentTo ? 0 : 0.5;
        if (!listed.has(name)) row.push({ source, index, distance });
        listed.add(name);
      }
    }
    wanted.push(...row.sort((a, b) => a.distance - b.distance));
  }
  return wanted;
}

const isSent = ({ source, index }: Wanted) => sent.get(source.key)?.has(index) ?? false;

/** Whether nothing that the sound of the target waits for is missing. */
const targetIsThere = () =>
  wantedBlocks().every((wanted) => wanted.distance >= 1 || delivered.has(nameOf(wanted)));

function feed(): void {
  if (!worklet) return;
  if (target !== newest && (!making || targetIsThere())) target = newest;
  const wanted = wantedBlocks();
  const keep: Record<string, number[]> = {};
  for (const { source, index } of wanted) (keep[source.key] ??= []).push(index);
  let dropped = false;
  for (const [key, indexes] of sent)
    for (const index of indexes)
      if (!keep[key]?.includes(index)) {
        indexes.delete(index);
        delivered.delete(`${key}/${index}`);
        dropped = true;
      }
  if (dropped) worklet.postMessage({ kind: 'keep', keep } satisfies FeederToWorklet);
  for (const next of wanted) {
    if (fetching >= mostFetches) break;
    if (!isMade(next.source) && !isSent(next)) void fetchOne(next);
  }
  if (!making) void makeAll();
}

async function fetchOne(wanted: Wanted): Promise<void> {
  fetching++;
  try {
    if (!(await supply(wanted))) return;
  } finally {
    fetching--;
  }
  feed();
}

/** Makes blocks one at a time, the most urgent of the moment first; between two of them the worker hears what is new. */
async function makeAll(): Promise<void> {
  making = true;
  try {
    for (;;) {
      if (target !== newest && targetIsThere()) target = newest;
      const next = wantedBlocks().find((one) => isMade(one.source) && !isSent(one));
      if (!next || !(await supply(next))) return;
      await new Promise((resolve) => setTimeout(resolve));
    }
  } finally {
    making = false;
  }
}

/** Whether a block was brought to the worklet, or is no longer wanted there. */
async function supply({ source, index }: Wanted): Promise<boolean> {
  let indexes = sent.get(source.key);
  if (!indexes) sent.set(source.key, (indexes = new Set()));
  indexes.add(index);
  try {
    const block = (await loadAny(source, index)).slice();
    // The playhead may have gone elsewhere meanwhile.
    if (sent.get(source.key)?.has(index)) {
      delivered.add(nameOf({ source, index }));
      worklet?.postMessage(
        { kind: 'block', key: source.key, index, block } satisfies FeederToWorklet,
        [block.buffer],
      );
    }
    return true;
  } catch (error) {
    sent.get(source.key)?.delete(index);
    post({ kind: 'failed', sentence: error instanceof Error ? error.message : String(error) });
    return false;
  }
}
