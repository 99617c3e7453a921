import { failure, success, type Outcome } from '@pannet/core/outcome';
import { convertToWav } from '@pannet/core/sources/conversion';
import { answer, seldom } from '../workers/ask.ts';
import { bytesOfFile } from './bytes-of-file.ts';
import type { ConvertedFile, Converting } from './convert-file.ts';

/** Handed over to the browser whenever so much is there: it keeps blobs out of the page's memory. */
const handedOverBytes = 8 * 1_048_576;

answer<Converting, Outcome<ConvertedFile>>(async ({ file, rateHz }, tell) => {
  try {
    const parts: Blob[] = [];
    let pieces: Uint8Array<ArrayBuffer>[] = [];
    let held = 0;
    const handOver = () => {
      parts.push(new Blob(pieces));
      pieces = [];
      held = 0;
    };
    const write = (bytes: Uint8Array) => {
      pieces.push(bytes as Uint8Array<ArrayBuffer>);
      held += bytes.length;
      if (held >= handedOverBytes) handOver();
    };
    const made = await convertToWav(bytesOfFile(file), file.name, rateHz, write, seldom(tell));
    if (!made.ok) return made;
    handOver();
    const { header, format, fromHz } = made.value;
    const blob = new Blob([header as Uint8Array<ArrayBuffer>, ...parts], { type: 'audio/wav' });
    return success({ blob, format, fromHz });
  } catch (error) {
    const why = error instanceof Error ? error.message : String(error);
    return failure('not-converted', `“${file.name}” could not be converted: ${why}.`);
  }
});
