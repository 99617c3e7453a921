import { writeFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { bytesToHex } from '@noble/hashes/utils.js';
import { compiledLoops } from './compile.mjs';

/** Writes anew what is committed of the loops: `node packages/core/loops/write.mjs [FILE]`. */
const committed = fileURLToPath(new URL('../src/signal/loops-bytes.ts', import.meta.url));
const lines = bytesToHex(await compiledLoops()).match(/.{1,96}/g);
writeFileSync(
  process.argv[2] ?? committed,
  `/** Of loops/loops.ts, in WebAssembly; written by loops/write.mjs, and held against its source by a test. */
export const loopsBytes = [
${lines.map((line) => `  '${line}',\n`).join('')}].join('');
`,
);
