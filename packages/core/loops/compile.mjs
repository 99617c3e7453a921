import { fileURLToPath } from 'node:url';
import asc from 'assemblyscript/asc';

const here = fileURLToPath(new URL('.', import.meta.url));

/** What `loops.ts` is in WebAssembly. @throws Error with what the compiler says */
export async function compiledLoops() {
  let bytes = new Uint8Array();
  const { error, stderr } = await asc.main(
    [
      'loops.ts',
      '--outFile',
      'loops.wasm',
      ...['--baseDir', here],
      ...['--runtime', 'stub'],
      ...['--optimizeLevel', '3', '--shrinkLevel', '0', '--noAssert'],
      ...['--enable', 'simd'],
      // 2 MB, of which `loops.ts` of signal/ says what lies where.
      ...['--initialMemory', '32', '--maximumMemory', '32'],
    ],
    {
      writeFile: (name, contents) => {
        if (name.endsWith('.wasm')) bytes = contents;
      },
    },
  );
  if (error) throw new Error(`${error.message}\n${stderr}`);
  return bytes;
}
