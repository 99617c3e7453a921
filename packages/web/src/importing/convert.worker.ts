import { convertToWav } from '@pannet/core/sources/conversion';
import type { Converting, FromConverter } from './convert-file.ts';

const post = (message: FromConverter, transfer: Transferable[] = []) =>
  postMessage(message, { transfer });
let told = 0;
const tellEveryMs = 100;

onmessage = async ({ data: { file, rateHz } }: MessageEvent<Converting>) => {
  const tick = (share: number) => {
    if (performance.now() - told < tellEveryMs) return;
    told = performance.now();
    post({ kind: 'progress', share });
  };
  try {
    const bytes = new Uint8Array(await file.arrayBuffer());
    const made = await convertToWav(bytes, file.name, rateHz, tick);
    if (!made.ok) {
      post({ kind: 'refused', failure: made.error });
      return;
    }
    const { wav, format, fromHz } = made.value;
    const blob = new Blob([wav as Uint8Array<ArrayBuffer>], { type: 'audio/wav' });
    post({ kind: 'converted', converted: { blob, format, fromHz } });
  } catch (error) {
    const why = error instanceof Error ? error.message : String(error);
    post({
      kind: 'refused',
      failure: {
        code: 'not-converted',
        sentence: `“${file.name}” could not be converted: ${why}.`,
      },
    });
  }
};
