import { fileURLToPath } from 'node:url';
import asc from 'assemblyscript/asc';

const here = fileURLToPath(new URL('.', import.meta.url));

/** What is compiled: its memory, in pages of 64 kB. */
export const sources = {
  // 2 MB, of which `loops.ts` of signal/ says what lies where.
  loops: { pages: 32, most: 32 },
  // Grows with the sizes that are asked for.
  transforms: { pages: 1, most: 8192 },
};

/** What a source is in WebAssembly. @throws Error with what the compiler says */
export async function compiled(name) {
  const { pages, most } = sources[name];
  let bytes = new Uint8Array();
  const { error, stderr } = await asc.main(
    [
      `${name}.ts`,
      '--outFile',
      `${name}.wasm`,
      ...['--baseDir', here],
      ...['--runtime', 'stub'],
      ...['--optimizeLevel', '3', '--shrinkLevel', '0', '--noAssert'],
      ...['--enable', 'simd'],
      ...['--initialMemory', `${pages}`, '--maximumMemory', `${most}`],
    ],
    {
      writeFile: (file, contents) => {
        if (file.endsWith('.wasm')) bytes = contents;
      },
    },
  );
  if (error) throw new Error(`${error.message}\n${stderr}`);
  return bytes;
}
