import type { ByteSource } from '@pannet/core/formats/byte-source';

/** A file of the browser's, read piece by piece. */
export function bytesOfFile(file: Blob): ByteSource {
  return {
    size: file.size,
    read: async (offset, length) =>
      new Uint8Array(await file.slice(offset, offset + length).arrayBuffer()),
  };
}
