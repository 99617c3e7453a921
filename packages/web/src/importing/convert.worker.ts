import { failure, success, type Outcome } from '@pannet/core/outcome';
import { checkLength, convertToWav } from '@pannet/core/sources/conversion';
import { answer, seldom } from '../workers/ask.ts';
import type { ConvertedFile, Converting } from './convert-file.ts';

answer<Converting, Outcome<ConvertedFile>>(async ({ file, rateHz }, tell) => {
  try {
    const source = {
      size: file.size,
      read: async (offset: number, length: number) =>
        new Uint8Array(await file.slice(offset, offset + length).arrayBuffer()),
    };
    const length = await checkLength(source, file.name);
    if (!length.ok) return length;
    const bytes = new Uint8Array(await file.arrayBuffer());
    const made = await convertToWav(bytes, file.name, rateHz, seldom(tell));
    if (!made.ok) return made;
    const { wav, format, fromHz } = made.value;
    const blob = new Blob([wav as Uint8Array<ArrayBuffer>], { type: 'audio/wav' });
    return success({ blob, format, fromHz });
  } catch (error) {
    const why = error instanceof Error ? error.message : String(error);
    return failure('not-converted', `“${file.name}” could not be converted: ${why}.`);
  }
});
