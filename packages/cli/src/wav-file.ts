import { mkdtemp, open, rm, type FileHandle } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { basename, join } from 'node:path';
import type { ByteSource } from '@pannet/core/formats/byte-source';
import { formatOf } from '@pannet/core/formats/audio-format';
import { findWav, readWavLayout, type WavLayout } from '@pannet/core/formats/wav-read';
import { WavEncoder, wavFits, wavHeader, type WrittenBits } from '@pannet/core/formats/wav-write';
import { convertToWav } from '@pannet/core/sources/conversion';
import { failure, success, type Outcome } from '@pannet/core/outcome';
import { fileFailure } from './paths.ts';
import { WrittenFile } from './written-files.ts';

export interface OpenWav {
  readonly bytes: ByteSource;
  readonly layout: WavLayout;
  /** What is unusual about the file, though it can be read. */
  readonly remarks: readonly string[];
  close(): Promise<void>;
}

interface OpenBytes extends ByteSource {
  close(): Promise<void>;
}

async function openBytes(path: string): Promise<Outcome<OpenBytes>> {
  try {
    const handle = await open(path, 'r');
    const found = await handle.stat();
    if (found.isDirectory()) {
      await handle.close();
      return fileFailure(path, 'opened', Object.assign(new Error(), { code: 'EISDIR' }));
    }
    return success(bytesOf(handle, found.size));
  } catch (error) {
    return fileFailure(path, 'opened', error);
  }
}

function bytesOf(handle: FileHandle, size: number): OpenBytes {
  return {
    size,
    read: async (offset, length) => {
      const piece = new Uint8Array(Math.max(0, Math.min(length, size - offset)));
      const { bytesRead } = await handle.read(piece, 0, piece.length, offset);
      return piece.subarray(0, bytesRead);
    },
    close: () => handle.close(),
  };
}

/**
 * Opens a take for reading block by block, whatever its format.
 * @param rateHz what it is converted to; undefined keeps its own
 */
export async function openTake(
  path: string,
  rateHz: number | undefined,
): Promise<Outcome<OpenWav>> {
  const opened = await openBytes(path);
  if (!opened.ok) return opened;
  const bytes = opened.value;
  let remarks: readonly string[] = [];
  const isWav = formatOf(await bytes.read(0, 16)) === 'WAV';
  if (isWav || bytes.size === 0) {
    const found = await findWav(bytes, basename(path));
    if (!found.ok) {
      await bytes.close();
      return found;
    }
    remarks = found.value.remarks;
    const { layout } = found.value;
    if (rateHz === undefined || layout.rateHz === rateHz)
      return success({ bytes, layout, remarks, close: () => bytes.close() });
  }
  try {
    const made = await converted(bytes, basename(path), rateHz ?? null);
    return made.ok ? success({ ...made.value, remarks }) : made;
  } finally {
    await bytes.close();
  }
}

/** What a take is converted to lies on the disk, under no name: it goes when it is closed, or the command ends. */
async function converted(
  bytes: ByteSource,
  name: string,
  rateHz: number | null,
): Promise<Outcome<Omit<OpenWav, 'remarks'>>> {
  const folder = await mkdtemp(join(tmpdir(), 'pannet-take-'));
  const path = join(folder, 'take.wav');
  const handle = await open(path, 'wx+');
  await rm(folder, { recursive: true });
  const keep = async () => {
    /** More than any header of ours has. */
    const headerRoom = 128;
    let at = headerRoom;
    const made = await convertToWav(bytes, name, rateHz, async (piece) => {
      await handle.write(piece, 0, piece.length, at);
      at += piece.length;
    });
    if (!made.ok) return made;
    const { header } = made.value;
    const start = headerRoom - header.length;
    await handle.write(header, 0, header.length, start);
    const whole = bytesOf(handle, at);
    const file: ByteSource = {
      size: at - start,
      read: (offset, length) => whole.read(start + offset, length),
    };
    const layout = await readWavLayout(file, name);
    if (!layout.ok) return layout;
    return success({ bytes: file, layout: layout.value, close: () => handle.close() });
  };
  let kept: Awaited<ReturnType<typeof keep>> | null = null;
  try {
    kept = await keep();
    return kept;
  } catch (error) {
    return fileFailure(path, 'written', error);
  } finally {
    if (!kept?.ok) await handle.close();
  }
}

/** A WAV file that appears under its name only when it is whole. */
export class WavFileWriter {
  readonly #file: WrittenFile;
  readonly #encoder: WavEncoder;

  private constructor(file: WrittenFile, bits: WrittenBits) {
    this.#file = file;
    this.#encoder = new WavEncoder(bits);
  }

  static async create(
    path: string,
    frames: number,
    rateHz: number,
    bits: WrittenBits,
    channels: 1 | 2 = 2,
  ): Promise<Outcome<WavFileWriter>> {
    if (!wavFits(frames, channels, bits))
      return failure('too-long', `“${path}” would be over 4 GB, which WAV cannot hold.`);
    const file = await WrittenFile.create(path);
    if (!file.ok) return file;
    const header = await file.value.write(wavHeader(frames, channels, rateHz, bits));
    if (header.ok) return success(new WavFileWriter(file.value, bits));
    await file.value.discard();
    return header;
  }

  write(...sides: readonly Float32Array[]): Promise<Outcome<void>> {
    return this.#file.write(this.#encoder.encode(sides, sides[0].length));
  }

  get path(): string {
    return this.#file.path;
  }

  get clipped(): number {
    return this.#encoder.clipped;
  }

  finish(): Promise<Outcome<void>> {
    return this.#file.finish();
  }

  discard(): Promise<void> {
    return this.#file.discard();
  }
}
