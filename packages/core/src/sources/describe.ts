import { sha256 } from '@noble/hashes/sha2.js';
import { bytesToHex } from '@noble/hashes/utils.js';
import type { ByteSource } from '../formats/byte-source.ts';
import { readWavLayout, type WavLayout } from '../formats/wav-read.ts';
import { success, type Outcome } from '../outcome.ts';
import type { SourceFacts } from './facts.ts';
import { readFacts } from './wav-blocks.ts';

/** A WAV file as a song names it. */
export interface DescribedFile extends WavLayout {
  /** SHA-256, 64 hexadecimal digits. */
  readonly hash: string;
  readonly fileName: string;
  readonly facts: SourceFacts;
}

/** So much of a file is in memory at once. */
const pieceBytes = 1_048_576;

/**
 * SHA-256 (FIPS 180-4) of a file, read piece by piece.
 * @param tell told the share that is read, 0 to 1
 * @returns 64 hexadecimal digits
 */
export async function hashOfFile(
  bytes: ByteSource,
  tell: (share: number) => void = () => {},
): Promise<string> {
  const hash = sha256.create();
  for (let at = 0; at < bytes.size; at += pieceBytes) {
    const count = Math.min(pieceBytes, bytes.size - at);
    hash.update(await bytes.read(at, count));
    tell((at + count) / bytes.size);
  }
  return bytesToHex(hash.digest());
}

/**
 * What a song says of a WAV file, found where the file is: the same that the server finds once it has it.
 * @returns the reader's sentence for what cannot be read
 */
export async function describeRecording(
  bytes: ByteSource,
  fileName: string,
  tell: (share: number) => void = () => {},
): Promise<Outcome<DescribedFile>> {
  const layout = await readWavLayout(bytes, fileName);
  if (!layout.ok) return layout;
  // Finding what sounds in it takes about as long as its hash.
  const hash = await hashOfFile(bytes, (share) => tell(share / 2));
  const facts = await readFacts(bytes, layout.value, (share) => tell((1 + share) / 2));
  return success({ hash, fileName, ...layout.value, facts });
}
