import { open, readFile, rename, rm, type FileHandle } from 'node:fs/promises';
import { basename } from 'node:path';
import { bytesInMemory, type ByteSource } from '@pannet/core/formats/byte-source';
import { formatOf } from '@pannet/core/formats/audio-format';
import { readWavLayout, type WavLayout } from '@pannet/core/formats/wav-read';
import { WavEncoder, wavFits, wavHeader, type WrittenBits } from '@pannet/core/formats/wav-write';
import { convertToWav } from '@pannet/core/sources/conversion';
import { failure, success, type Outcome } from '@pannet/core/outcome';

export interface OpenWav {
  readonly bytes: ByteSource;
  readonly layout: WavLayout;
  close(): Promise<void>;
}

function cannotOpen(path: string): Outcome<never> {
  return failure(
    'no-file',
    `“${path}” cannot be opened: there is no such file, or it may not be read.`,
  );
}

/** Opens a WAV file for reading block by block. */
export async function openWav(path: string): Promise<Outcome<OpenWav>> {
  let handle: FileHandle;
  try {
    handle = await open(path, 'r');
  } catch {
    return cannotOpen(path);
  }
  const { size } = await handle.stat();
  const bytes: ByteSource = {
    size,
    read: async (offset, length) => {
      const piece = new Uint8Array(Math.max(0, Math.min(length, size - offset)));
      const { bytesRead } = await handle.read(piece, 0, piece.length, offset);
      return piece.subarray(0, bytesRead);
    },
  };
  const layout = await readWavLayout(bytes, basename(path));
  if (layout.ok) return success({ bytes, layout: layout.value, close: () => handle.close() });
  await handle.close();
  return layout;
}

/** Opens a take: of another format or rate, what it is converted to lies in memory. */
export async function openTake(
  path: string,
  rateHz: number | undefined,
): Promise<Outcome<OpenWav>> {
  let bytes: Buffer;
  const start = await readStart(path);
  if (start && formatOf(start) === 'WAV') {
    const file = await openWav(path);
    if (!file.ok || rateHz === undefined || file.value.layout.rateHz === rateHz) return file;
    await file.value.close();
  }
  try {
    bytes = await readFile(path);
  } catch {
    return cannotOpen(path);
  }
  const made = await convertToWav(bytes, basename(path), rateHz ?? null);
  if (!made.ok) return made;
  const source = bytesInMemory(made.value.wav);
  const layout = await readWavLayout(source, basename(path));
  if (!layout.ok) return layout;
  return success({ bytes: source, layout: layout.value, close: () => Promise.resolve() });
}

async function readStart(path: string): Promise<Uint8Array | null> {
  try {
    const handle = await open(path, 'r');
    const { buffer } = await handle.read(new Uint8Array(16), 0, 16, 0);
    await handle.close();
    return buffer;
  } catch {
    return null;
  }
}

/** A stereo WAV file that appears under its name only when it is whole. */
export class WavFileWriter {
  readonly #path: string;
  readonly #partial: string;
  readonly #handle: FileHandle;
  readonly #encoder: WavEncoder;

  private constructor(path: string, partial: string, handle: FileHandle, bits: WrittenBits) {
    this.#path = path;
    this.#partial = partial;
    this.#handle = handle;
    this.#encoder = new WavEncoder(bits);
  }

  static async create(
    path: string,
    frames: number,
    rateHz: number,
    bits: WrittenBits,
  ): Promise<Outcome<WavFileWriter>> {
    if (!wavFits(frames, 2, bits))
      return failure('too-long', `“${path}” would be over 4 GB, which WAV cannot hold.`);
    const partial = `${path}.partial`;
    try {
      const handle = await open(partial, 'w');
      await handle.write(wavHeader(frames, 2, rateHz, bits));
      return success(new WavFileWriter(path, partial, handle, bits));
    } catch {
      return failure(
        'not-writable',
        `“${path}” cannot be written: the folder is not there, or it may not be written to.`,
      );
    }
  }

  async write(left: Float32Array, right: Float32Array): Promise<void> {
    await this.#handle.write(this.#encoder.encode([left, right], left.length));
  }

  get clipped(): number {
    return this.#encoder.clipped;
  }

  async finish(): Promise<void> {
    await this.#handle.close();
    await rename(this.#partial, this.#path);
  }

  /** Leaves nothing behind; after `finish` it does nothing. */
  async discard(): Promise<void> {
    await this.#handle.close().catch(() => {});
    await rm(this.#partial, { force: true });
  }
}
