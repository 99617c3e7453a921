import { rmSync } from 'node:fs';
import { renderPart } from '@pannet/core/rendering/offline';
import { tunedParts } from './load.ts';
import { makeMaterial, planOf, rateHz } from './material.ts';

/** Renders so many parts of three tuned voices each over 240 s, as a worker that exports them would. */
const parts = Number(process.argv[2]);
const { mono, folder } = await makeMaterial();
rmSync(folder, { recursive: true, force: true });
const take = mono.subarray(0, 240 * rateHz);
for (let n = 0; n < parts; n++) {
  const { plan, load } = await planOf([take], () => tunedParts(3, n));
  for await (const { left } of renderPart(plan, 'p0', load, 0, take.length))
    if (left.length === 0) throw new Error('An empty block.');
}
