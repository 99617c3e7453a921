import { createHash } from 'node:crypto';
import { Transform, type TransformCallback } from 'node:stream';

/** Passes bytes through; counts them and their lines, and takes their SHA-256. */
export class Counting extends Transform {
  readonly #digest = createHash('sha256');
  bytes = 0;
  lines = 0;

  override _transform(piece: Buffer, _: BufferEncoding, done: TransformCallback): void {
    this.#digest.update(piece);
    this.bytes += piece.length;
    for (let at = piece.indexOf(10); at >= 0; at = piece.indexOf(10, at + 1)) this.lines++;
    done(null, piece);
  }

  /** Hexadecimal; once, when all has passed. */
  sha256(): string {
    return this.#digest.digest('hex');
  }
}
