import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { bytesToHex } from '@noble/hashes/utils.js';
import { compiled, sources } from './compile.mjs';

/** Writes anew what is committed of each source: `node packages/core/loops/write.mjs [FOLDER]`. */
const folder = process.argv[2] ?? fileURLToPath(new URL('../src/signal', import.meta.url));
mkdirSync(folder, { recursive: true });
for (const name of Object.keys(sources)) {
  const lines = bytesToHex(await compiled(name)).match(/.{1,96}/g);
  writeFileSync(
    join(folder, `${name}-bytes.ts`),
    `/** Of loops/${name}.ts, in WebAssembly; written by loops/write.mjs, and held against its source by a test. */
export const ${name}Bytes = [
${lines.map((line) => `  '${line}',\n`).join('')}].join('');
`,
  );
}
