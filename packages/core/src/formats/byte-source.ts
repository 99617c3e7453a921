/** Random access to the bytes of a file, wherever it lies: a Blob, a database, a disk. */
export interface ByteSource {
  /** In bytes. */
  readonly size: number;
  /** At most `length` bytes from `offset`; fewer only at the end. */
  read(offset: number, length: number): Promise<Uint8Array>;
}

export function bytesInMemory(bytes: Uint8Array): ByteSource {
  return {
    size: bytes.length,
    read: (offset, length) => Promise.resolve(bytes.subarray(offset, offset + length)),
  };
}
