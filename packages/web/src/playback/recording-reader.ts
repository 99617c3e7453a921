import type { ByteSource } from '@pannet/core/formats/byte-source';
import { decodeChannel } from '@pannet/core/formats/wav-read';
import type { Recording } from '@pannet/core/song/song';
import { blockFrames, type BlockLoader } from '@pannet/core/sources/blocks';
import { audioPath } from '../api/recordings.ts';

/**
 * Fetches bytes from `first` on; tries again while the server is gone, a little later each time.
 *
 * The browser's own cache is left out: where two workers ask for overlapping ranges at once it answers with less than was
 * asked for. What comes short is asked for again, whatever the reason.
 */
async function patientFetch(path: string, first: number, count: number): Promise<Uint8Array> {
  const headers = { Range: `bytes=${first}-${first + count - 1}` };
  for (let wait = 100; ; wait = Math.min(2000, wait * 2)) {
    const response = await fetch(path, { headers, cache: 'no-store' }).catch(() => null);
    if (response?.status === 404) throw new Error('A recording of this song is not on the server.');
    if (response?.status === 206) {
      const bytes = await response.arrayBuffer().catch(() => null);
      if (bytes?.byteLength === count) return new Uint8Array(bytes);
    }
    await new Promise((resolve) => setTimeout(resolve, wait));
  }
}

function remoteBytes(recording: Recording): ByteSource {
  return {
    size: recording.dataOffset + recording.frames * recording.bytesPerFrame,
    read: (offset, length) => patientFetch(audioPath(recording.hash), offset, length),
  };
}

/**
 * Reads blocks of recordings from the server, each fetched and decoded once for both of its channels, and keeps the
 * ones used last within a bound.
 */
export class RecordingReader {
  readonly #mostBytes: number;
  readonly #recordings = new Map<string, Recording>();
  /** In the order of last use. */
  readonly #kept = new Map<string, Promise<readonly Float32Array[]>>();
  #keptBytes = 0;

  constructor(mostBytes: number) {
    this.#mostBytes = mostBytes;
  }

  know(recordings: Readonly<Record<string, Recording>>): void {
    for (const recording of Object.values(recordings))
      this.#recordings.set(recording.hash, recording);
  }

  readonly load: BlockLoader = async (source, index) => {
    const [hash, channel] = source.key.split(':');
    const recording = this.#recordings.get(hash);
    if (!recording) throw new Error(`Recording ${hash} is not known here.`);
    const key = `${hash}/${index}`;
    let block = this.#kept.get(key);
    if (block) {
      this.#kept.delete(key);
    } else {
      block = this.#fetch(recording, index);
      this.#keptBytes += bytesOf(recording);
      block.catch(() => this.#drop(key));
    }
    this.#kept.set(key, block);
    this.#forget();
    return (await block)[Number(channel)];
  };

  async #fetch(recording: Recording, index: number): Promise<readonly Float32Array[]> {
    const first = index * blockFrames;
    const count = Math.min(blockFrames, recording.frames - first);
    const bytes = await remoteBytes(recording).read(
      recording.dataOffset + first * recording.bytesPerFrame,
      count * recording.bytesPerFrame,
    );
    return Array.from({ length: recording.channels }, (_, n) => decodeChannel(bytes, recording, n));
  }

  #forget(): void {
    for (const key of this.#kept.keys()) {
      if (this.#keptBytes <= this.#mostBytes) return;
      this.#drop(key);
    }
  }

  #drop(key: string): void {
    const recording = this.#recordings.get(key.split('/')[0]);
    if (this.#kept.delete(key) && recording) this.#keptBytes -= bytesOf(recording);
  }
}

/** Of one decoded block, all channels. */
function bytesOf(recording: Recording): number {
  return blockFrames * Float32Array.BYTES_PER_ELEMENT * recording.channels;
}
