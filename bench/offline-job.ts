import { rmSync } from 'node:fs';
import { ampDescription, usualMicrophone } from '@pannet/core/amps/amp';
import type { Image } from '@pannet/core/image/image';
import { neutralStage } from '@pannet/core/image/stage';
import { renderPart } from '@pannet/core/rendering/offline';
import { newVoice } from '@pannet/core/voices/voice';
import { tunedParts } from './load.ts';
import { makeMaterial, planOf, rateHz } from './material.ts';

/** A voice through a whole chain, drive to cabinet, none worked like another. */
function chainPart(part: number): Image {
  const amp = ampDescription.parse({
    driveDb: 20 + part / 4,
    squashPercent: 30,
    tone: { lowDb: 2, presenceDb: 3 },
    cabinet: { ...usualMicrophone, kind: 'squat-four-cone' },
  });
  return { voices: [newVoice('v', 'voice', { amp })], stage: neutralStage };
}

const images = { tuned: (part: number) => tunedParts(3, part), chain: chainPart };
export type OfflineImage = keyof typeof images;

/** Renders so many parts of 240 s, each of three tuned voices or of one chain, as a worker that exports them would; says how many seconds that took. */
const kind = process.argv[2] as OfflineImage;
const parts = Number(process.argv[3]);
const { mono, folder } = await makeMaterial();
rmSync(folder, { recursive: true, force: true });
const take = mono.subarray(0, 240 * rateHz);
const begun = performance.now();
for (let n = 0; n < parts; n++) {
  const { plan, load } = await planOf([take], () => images[kind](n));
  for await (const { left } of renderPart(plan, 'p0', load, 0, take.length))
    if (left.length === 0) throw new Error('An empty block.');
}
console.log((performance.now() - begun) / 1000);
