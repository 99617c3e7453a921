import { resolve } from 'node:path';
import { parseArgs } from 'node:util';
import { spliceNeeds } from '@pannet/core/derived/splice-library';
import {
  compareChains,
  evenedChains,
  linedUpChains,
  withChanges,
  type ChainsApart,
  type ChainsToCompare,
  type VoiceChange,
} from '@pannet/core/findings/chains';
import { findMend } from '@pannet/core/findings/find-mend';
import { findingCodes, type FindingCode } from '@pannet/core/findings/finding';
import { gauges } from '@pannet/core/findings/gauges';
import { measurePart, type KnownPlain } from '@pannet/core/findings/measure-part';
import { findingsOfPart } from '@pannet/core/findings/part-findings';
import { withImpulses, writeImageFile, type ImageFile } from '@pannet/core/image/image-file';
import { failure, success, type Outcome } from '@pannet/core/outcome';
import { figure } from '@pannet/core/quantities/wording';
import { compile } from '@pannet/core/rendering/compile';
import { prepareSplices } from '@pannet/core/rendering/offline';
import { apply } from '@pannet/core/song/commands';
import type { Edit } from '@pannet/core/song/edits/edit';
import { emptySong, newPart, partFrames, rateOf, type Song } from '@pannet/core/song/song';
import { channelSource, type BlockLoader } from '@pannet/core/sources/blocks';
import { readFacts, readWavBlock } from '@pannet/core/sources/wav-blocks';
import type { SplicePlan } from '@pannet/core/voices/splices';
import type { Voice } from '@pannet/core/voices/voice';
import { calledFrom, openImpulses, type OpenedImpulse } from './impulses.ts';
import { OutputFiles } from './output-files.ts';
import { checkOutputs } from './paths.ts';
import { arrangeTakes } from './arrange-takes.ts';
import { checkTakes, readImage } from './render.ts';
import { closeTakes, openTakes, takePath, type OpenedTake } from './takes.ts';

/** Of two chains of one image: these are mended wherever they are asked for, found or not. */
const chainCodes = ['chains-apart', 'sides-uneven'] as const;
type ChainCode = (typeof chainCodes)[number];

export interface MendRequest {
  readonly image: string;
  readonly takes: readonly string[];
  readonly out: string;
  /** Empty for all that is found. */
  readonly codes: readonly FindingCode[];
  readonly report: string | undefined;
}

/** What became of one finding. */
interface Tried {
  readonly code: FindingCode;
  /** The figure that it stands on; null where it has none. */
  readonly gauge: string | null;
  readonly before: number | null;
  readonly after: number | null;
  readonly kept: boolean;
}

/** Reads the words behind `./pannet mend`; paths are taken from `folder`. */
export function readMendWords(words: string[], folder: string): Outcome<MendRequest> {
  const { values } = parseArgs({
    args: words,
    options: {
      image: { type: 'string' },
      take: { type: 'string', multiple: true },
      out: { type: 'string' },
      for: { type: 'string', multiple: true },
      report: { type: 'string' },
    },
  });
  const at = (path: string) => resolve(folder, path);
  if (!values.image) return failure('missing-option', 'Say which image: --image IMAGE.json.');
  if (!values.take?.length) return failure('missing-option', 'Say which take: --take A.wav.');
  if (!values.out) return failure('missing-option', 'Say where to: --out NEW.json.');
  const known: readonly string[] = findingCodes;
  const unknown = values.for?.find((code) => !known.includes(code));
  if (unknown !== undefined)
    return failure(
      'unknown-finding',
      `--for “${unknown}” is no finding; known are ${known.filter((code) => code !== 'nothing-wrong').join(', ')}.`,
    );
  return success({
    image: at(values.image),
    takes: values.take.map(at),
    out: at(values.out),
    codes: (values.for ?? []) as FindingCode[],
    report: values.report && at(values.report),
  });
}

/** Writes the image with the best mend of each finding; “nothing-mended” where there is none. */
export async function mend(
  request: MendRequest,
  say: (line: string) => void,
): Promise<Outcome<void>> {
  const paths = await checkOutputs(
    [
      { option: '--image', path: request.image },
      ...request.takes.map((words) => ({ option: '--take', path: takePath(words) })),
    ],
    outputsOf(request),
  );
  if (!paths.ok) return paths;
  const takes: OpenedTake[] = [];
  const impulses: OpenedImpulse[] = [];
  try {
    for (const words of request.takes) {
      const opened = await openTakes(words, undefined, say);
      if (!opened.ok) return opened;
      takes.push(...opened.value);
    }
    const fits = checkTakes(takes);
    if (!fits.ok) return fits;
    const file = await readImage(request.image, takes[0].layout.rateHz, takes.length);
    if (!file.ok) return file;
    const { rateHz } = takes[0].layout;
    const heard = await openImpulses(
      request.image,
      file.value.image,
      rateHz,
      outputsOf(request),
      say,
    );
    if (!heard.ok) return heard;
    impulses.push(...heard.value);
    return await mendOver(takes, impulses, file.value, request, say);
  } finally {
    await closeTakes([...takes, ...impulses]);
  }
}

function outputsOf({ out, report }: MendRequest) {
  return [
    { option: '--out', path: out },
    ...(report === undefined ? [] : [{ option: '--report', path: report }]),
  ];
}

const partId = 'image';

async function mendOver(
  takes: readonly OpenedTake[],
  impulses: readonly OpenedImpulse[],
  file: ImageFile,
  request: MendRequest,
  say: (line: string) => void,
): Promise<Outcome<void>> {
  const all = [...takes, ...impulses];
  const load: BlockLoader = (source, index) => {
    const { bytes, layout, channel } = all[Number(source.key.slice(0, 64))];
    return readWavBlock(bytes, layout, channel, index);
  };
  const begun = await songOf(takes, impulses, file, load, say);
  if (!begun.ok) return begun;
  let song = begun.value;
  const measuring = measuringOf(load, partFrames(song, song.parts[partId]));
  const before = await measuring.measure(song);
  const found = findingsOfPart(before, song, song.parts[partId]).map(({ code }) => code);
  const codes: readonly FindingCode[] =
    request.codes.length > 0 ? request.codes : found.filter((code) => code !== 'nothing-wrong');
  const tried: Tried[] = [];
  for (const code of codes) {
    const [next, outcome] = isChainCode(code)
      ? await mendChains(code, song, measuring, say)
      : await mendFinding(code, song, measuring);
    tried.push(outcome);
    song = next;
    say(toldOf(outcome));
  }
  if (!tried.some(({ kept }) => kept))
    return failure(
      'nothing-mended',
      codes.length === 0
        ? 'Nothing wrong was found: there is nothing to mend.'
        : `No mend was found for ${codes.join(', ')}: nothing was written.`,
    );
  const after = await measuring.measure(song);
  const files = new OutputFiles(say);
  try {
    for (const path of [request.out, ...(request.report === undefined ? [] : [request.report])]) {
      const opened = await files.openText(path);
      if (!opened.ok) return opened;
    }
    // As the image file calls them, from where the new one lies.
    const image = withImpulses(song.parts[partId].image, (hash) =>
      calledFrom(request.image, request.out, all[Number(hash)].name),
    );
    const texts = [
      writeImageFile({ ...file, image }),
      {
        findings: tried,
        sideToMidBefore: before.report.sideToMidDb,
        sideToMidAfter: after.report.sideToMidDb,
      },
    ].slice(0, request.report === undefined ? 1 : 2);
    for (const text of texts) {
      const written = await files.writeText(`${JSON.stringify(text, null, 2)}\n`);
      if (!written.ok) return written;
    }
    return await files.finish();
  } finally {
    await files.discard();
  }
}

/** What a file is called in the song that it is mended in, by its number. */
const hashOf = (n: number) => String(n).padStart(64, '0');

/** The image as a song of one part, as the findings and their mends know it. */
async function songOf(
  takes: readonly OpenedTake[],
  impulses: readonly OpenedImpulse[],
  file: ImageFile,
  load: BlockLoader,
  say: (line: string) => void,
): Promise<Outcome<Song>> {
  const rateHz = takes[0].layout.rateHz;
  const recordings = await Promise.all(
    [...takes, ...impulses].map(async ({ layout, bytes, name }, n) => ({
      ...layout,
      hash: hashOf(n),
      fileName: name.slice(-200),
      facts: await readFacts(bytes, layout),
    })),
  );
  const raw = takes.map(({ channel }, n) => channelSource(recordings[n], channel));
  const arranged = await arrangeTakes(file.takes, raw, takes, rateHz, load, say);
  if (!arranged.ok) return arranged;
  const made = takes.map(({ channel }, n) => ({
    id: `t${n + 1}`,
    recording: recordings[n].hash,
    channel,
    ...arranged.value[n],
    levelDb: file.takes.at(n)?.levelDb ?? 0,
    preparation: file.takes.at(n)?.preparation ?? null,
  }));
  const { panLaw, preparation } = file;
  const image = withImpulses(file.image, (name) =>
    hashOf(takes.length + impulses.findIndex(({ called }) => called === name)),
  );
  const edits: Edit[] = [
    { kind: 'set-rate', rateHz },
    { kind: 'set-pan-law', panLaw },
    ...recordings.map((recording): Edit => ({ kind: 'put-recording', recording })),
    {
      kind: 'add-part',
      index: 0,
      part: newPart(partId, partId, 'other', made, { image, preparation }),
    },
  ];
  const song = apply(emptySong('mend', 'mend'), { id: 'mend', name: 'mend', role: 'do', edits });
  return song.ok ? success(song.value.song) : song;
}

/** Measures states of a song, splices planned once. */
interface Measuring {
  readonly measure: (song: Song) => ReturnType<typeof measurePart>;
  readonly planFor: (song: Song) => Promise<ReturnType<typeof compile>>;
  readonly load: BlockLoader;
  readonly frames: number;
}

function measuringOf(load: BlockLoader, frames: number): Measuring {
  const splices = new Map<string, SplicePlan>();
  const plains: KnownPlain = new Map();
  const planFor = async (song: Song) => {
    for (const need of spliceNeeds(song))
      if (!splices.has(need.key))
        splices.set(need.key, await prepareSplices(need, rateOf(song), load));
    return compile(song, splices);
  };
  const measure = async (song: Song) =>
    measurePart(await planFor(song), partId, load, 0, frames, undefined, plains);
  return { measure, planFor, load, frames };
}

async function mendFinding(
  code: FindingCode,
  song: Song,
  { measure }: Measuring,
): Promise<[Song, Tried]> {
  const gauge = gauges[code]?.label ?? null;
  const found = await findMend(code, song, partId, measure);
  if (!found) return [song, { code, gauge, before: null, after: null, kept: false }];
  const part = { ...song.parts[partId], image: found.image };
  const { before, after } = found;
  return [
    { ...song, parts: { [partId]: part } },
    { code, gauge, before, after, kept: true },
  ];
}

function isChainCode(code: FindingCode): code is ChainCode {
  return (chainCodes as readonly string[]).includes(code);
}

/** The outer two voices, from left to right. */
function outerVoices({ parts }: Song): readonly [Voice, Voice] | null {
  const placed = parts[partId].image.voices
    .flatMap((voice) =>
      voice.placement.kind === 'pan' ? [{ voice, place: voice.placement.panPercent }] : [],
    )
    .sort((a, b) => a.place - b.place);
  const [first, last] = [placed.at(0), placed.at(-1)];
  return first && last && first.place < last.place ? [first.voice, last.voice] : null;
}

async function mendChains(
  code: ChainCode,
  song: Song,
  { planFor, load, frames }: Measuring,
  say: (line: string) => void,
): Promise<[Song, Tried]> {
  const gauge = code === 'chains-apart' ? 'offset in ms' : 'loudness and crest apart in dB';
  const nothing: Tried = { code, gauge, before: null, after: null, kept: false };
  const outer = outerVoices(song);
  if (!outer) {
    say('There are no two voices that stand apart.');
    return [song, nothing];
  }
  const [first, second] = outer;
  const asked: ChainsToCompare = {
    song,
    partId,
    voices: [first.id, second.id],
    from: 0,
    to: frames,
  };
  const apart = await compareChains(asked, planFor, load);
  if (code === 'sides-uneven') {
    const evened = await evenedChains(asked, planFor, load);
    if (!evened.ok) {
      say(evened.error.sentence);
      return [song, nothing];
    }
    if (evened.value.short !== null) say(evened.value.short);
    const [before, after] = [unevenOf(apart), unevenOf(evened.value.apart)];
    const kept = after < before - 0.05;
    return [kept ? changed(song, evened.value.changes) : song, { ...nothing, before, after, kept }];
  }
  if (!apart.offset) return [song, nothing];
  const rateHz = rateOf(song);
  const changes = linedUpChains(first, second, apart.offset, rateHz);
  const next = changed(song, changes);
  const then = await compareChains({ ...asked, song: next }, planFor, load);
  const ms = ({ offset }: ChainsApart) => ((offset?.frames ?? 0) / rateHz) * 1000;
  const turned = apart.offset.polarity === 'inverted' && then.offset?.polarity === 'normal';
  const kept = turned || Math.abs(ms(then)) < Math.abs(ms(apart)) - 1e-4;
  return [kept ? next : song, { ...nothing, before: ms(apart), after: ms(then), kept }];
}

function unevenOf({ first, second }: ChainsApart): number {
  return (
    Math.abs((first.lufs ?? 0) - (second.lufs ?? 0)) +
    Math.abs((first.crestDb ?? 0) - (second.crestDb ?? 0))
  );
}

function changed(song: Song, changes: readonly VoiceChange[]): Song {
  const part = song.parts[partId];
  return { ...song, parts: { [partId]: { ...part, image: withChanges(part.image, changes) } } };
}

function toldOf({ code, gauge, before, after, kept }: Tried): string {
  if (!kept) return `${code}: no mend was found.`;
  return `${code}: ${gauge ?? 'its figure'} from ${figure(before ?? 0, 2)} to ${figure(after ?? 0, 2)}.`;
}
