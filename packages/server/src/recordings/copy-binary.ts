import { Transform, type TransformCallback } from 'node:stream';

/**
 * PostgreSQL's binary COPY format, as far as audio chunks need it.
 * Source: PostgreSQL 15 documentation, "COPY", section "Binary Format".
 */
const signature = Buffer.from('PGCOPY\n\xff\r\n\0', 'latin1');
const header = Buffer.concat([signature, Buffer.alloc(8)]);

/** 256 KiB: large enough to stream fast, small enough to read a part of a file alone. */
export const chunkBytes = 262_144;

/** Cuts a byte stream into rows (recording_id, index, data) of one chunk each. */
export class ChunkRows extends Transform {
  readonly #recordingId: bigint;
  #pieces: Buffer[] = [];
  #held = 0;
  #index = 0;

  constructor(recordingId: bigint) {
    super();
    this.#recordingId = recordingId;
    this.push(header);
  }

  override _transform(piece: Buffer, _: BufferEncoding, done: TransformCallback): void {
    this.#pieces.push(piece);
    this.#held += piece.length;
    if (this.#held >= chunkBytes) {
      const held = Buffer.concat(this.#pieces, this.#held);
      let at = 0;
      for (; held.length - at >= chunkBytes; at += chunkBytes)
        this.#row(held.subarray(at, at + chunkBytes));
      this.#pieces = at < held.length ? [held.subarray(at)] : [];
      this.#held = held.length - at;
    }
    done();
  }

  override _flush(done: TransformCallback): void {
    if (this.#held > 0) this.#row(Buffer.concat(this.#pieces, this.#held));
    const trailer = Buffer.alloc(2);
    trailer.writeInt16BE(-1);
    this.push(trailer);
    done();
  }

  #row(data: Buffer): void {
    const head = Buffer.alloc(26);
    head.writeInt16BE(3, 0);
    head.writeInt32BE(8, 2);
    head.writeBigInt64BE(this.#recordingId, 6);
    head.writeInt32BE(4, 14);
    head.writeInt32BE(this.#index++, 18);
    head.writeInt32BE(data.length, 22);
    this.push(head);
    this.push(data);
  }
}

/** Takes the values out of rows of a single bytea column, as one byte stream. */
export class ColumnBytes extends Transform {
  #held: Buffer = Buffer.alloc(0);
  #begun = false;
  /** What is left of the value at hand. */
  #left = 0;

  override _transform(piece: Buffer, _: BufferEncoding, done: TransformCallback): void {
    let data = this.#held.length ? Buffer.concat([this.#held, piece]) : piece;
    if (!this.#begun && data.length >= header.length) {
      data = data.subarray(header.length);
      this.#begun = true;
    }
    while (this.#begun && data.length > 0) {
      if (this.#left > 0) {
        const part = data.subarray(0, this.#left);
        this.push(part);
        this.#left -= part.length;
        data = data.subarray(part.length);
      } else {
        if (data.length < 2) break;
        if (data.readInt16BE(0) === -1) {
          data = Buffer.alloc(0);
          break;
        }
        if (data.length < 6) break;
        this.#left = data.readInt32BE(2);
        data = data.subarray(6);
      }
    }
    this.#held = data;
    done();
  }
}
