import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { demoRecordings } from '@pannet/core/demo/demo-song';
import { bytesInMemory } from '@pannet/core/formats/byte-source';
import { readWavLayout } from '@pannet/core/formats/wav-read';
import { wavFile } from '@pannet/core/formats/wav-write';
import { neutralImage, type Image } from '@pannet/core/image/image';
import { spliceNeeds } from '@pannet/core/derived/splice-library';
import { compile } from '@pannet/core/rendering/compile';
import { prepareSplices } from '@pannet/core/rendering/offline';
import type { RenderPlan } from '@pannet/core/rendering/plan';
import { apply } from '@pannet/core/song/commands';
import type { Edit } from '@pannet/core/song/edits/edit';
import { emptySong, newPart, type Song } from '@pannet/core/song/song';
import { blockFrames, type BlockLoader } from '@pannet/core/sources/blocks';
import { readWavChannels } from '@pannet/core/sources/wav-blocks';
import type { SplicePlan } from '@pannet/core/voices/splices';

export const rateHz = 48_000;

export interface Material {
  readonly folder: string;
  /** The demo song's parts, one after the other till there are five minutes. */
  readonly mono: Float32Array;
  readonly monoPath: string;
  readonly left: Float32Array;
  readonly right: Float32Array;
  readonly stereoPath: string;
}

/** Five minutes of music of our own, as files for both sides of a comparison. */
export async function makeMaterial(): Promise<Material> {
  const takes: Float32Array[] = [];
  for (const { fileName, bytes: synthesise } of demoRecordings()) {
    const bytes = synthesise();
    const layout = await readWavLayout(bytesInMemory(bytes), fileName);
    if (!layout.ok) throw new Error(layout.error.sentence);
    takes.push((await readWavChannels(bytesInMemory(bytes), layout.value))[0]);
  }
  const frames = 300 * rateHz;
  const line = (shift: number) => {
    const whole = new Float32Array(frames);
    for (let at = 0, n = shift; at < frames; at += takes[n % takes.length].length, n++)
      whole.set(takes[n % takes.length].subarray(0, frames - at), at);
    return whole;
  };
  const [mono, left, right] = [line(0), line(1), line(2)];
  const folder = mkdtempSync(join(tmpdir(), 'pannet-bench-'));
  const monoPath = join(folder, 'mono.wav');
  const stereoPath = join(folder, 'stereo.wav');
  writeFileSync(monoPath, wavFile([mono], rateHz, '24'));
  writeFileSync(stereoPath, wavFile([left, right], rateHz, '24'));
  return { folder, mono, monoPath, left, right, stereoPath };
}

/** A song of so many parts, each with its image, its PCM in memory. */
export async function planOf(
  takes: readonly Float32Array[],
  imageOf: (part: number) => Image = neutralImage,
): Promise<{ plan: RenderPlan; load: BlockLoader }> {
  const { song, splices, load } = await songOf(takes, imageOf);
  return { plan: compile(song, splices), load };
}

/** The song itself, with the splices that its tuned voices need. */
export async function songOf(
  takes: readonly Float32Array[],
  imageOf: (part: number) => Image = neutralImage,
): Promise<{ song: Song; splices: Map<string, SplicePlan>; load: BlockLoader }> {
  const byKey = new Map<string, Float32Array>();
  const edits: Edit[] = [{ kind: 'set-rate', rateHz }];
  for (const [n, take] of takes.entries()) {
    const hash = String(n).padStart(64, '0');
    byKey.set(`${hash}:0`, take);
    edits.push({
      kind: 'put-recording',
      recording: {
        hash,
        fileName: `${n}.wav`,
        encoding: 'float',
        bitsPerSample: 32,
        channels: 1,
        rateHz,
        frames: take.length,
        dataOffset: 0,
        bytesPerFrame: 4,
      },
    });
    edits.push({
      kind: 'add-part',
      index: n,
      part: newPart(`p${n}`, `Part ${n}`, 'other', [{ recording: hash, channel: 0 }], {
        image: imageOf(n),
      }),
    });
  }
  const made = apply(emptySong('b', 'Bench'), { id: 'b', name: 'make', role: 'do', edits });
  if (!made.ok) throw new Error(made.error.sentence);
  const load: BlockLoader = (source, index) =>
    Promise.resolve(
      (byKey.get(source.key) as Float32Array).subarray(
        index * blockFrames,
        (index + 1) * blockFrames,
      ),
    );
  const splices = new Map<string, SplicePlan>();
  for (const need of spliceNeeds(made.value.song))
    splices.set(need.key, await prepareSplices(need, rateHz, load));
  return { song: made.value.song, splices, load };
}
