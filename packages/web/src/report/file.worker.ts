import { measureStereo } from '@pannet/core/measurement/report';
import { decodeAudio } from '@pannet/core/sources/conversion';
import type { FromFileMeasurer } from '../measuring/messages.ts';

const post = (message: FromFileMeasurer) => postMessage(message);
const tellEveryMs = 100;
let told = 0;

/** Decodes and measures a file; ended by its owner if it is to stop. */
onmessage = async ({ data: file }: MessageEvent<File>) => {
  const tick = (share: number) => {
    if (performance.now() - told < tellEveryMs) return;
    told = performance.now();
    post({ kind: 'progress', share });
  };
  try {
    const decoded = await decodeAudio(new Uint8Array(await file.arrayBuffer()), file.name);
    if (!decoded.ok) {
      post({ kind: 'failed', sentence: decoded.error.sentence });
      return;
    }
    const { channels, rateHz } = decoded.value;
    const { report, colour } = measureStereo(
      channels[0],
      channels[channels.length - 1],
      rateHz,
      tick,
    );
    const seconds = channels[0].length / rateHz;
    post({ kind: 'done', file: { report, colour, seconds, channels: channels.length } });
  } catch (error) {
    post({ kind: 'failed', sentence: error instanceof Error ? error.message : String(error) });
  }
};
