import { createHash } from 'node:crypto';
import { createTransformer } from '@swc/jest';

/**
 * Jest guards the globals of a test, so that looking one up costs some hundred times what it does elsewhere: in a loop over
 * samples that is most of its time. Each module takes what such loops use once, in its first line; it is the same object, so what
 * a test replaces on it is replaced.
 */
const once =
  'const { Math, Number, Infinity, NaN, Array, Object, Map, Promise, Uint8Array, Float32Array, Float64Array } = globalThis; ';

const withGlobals = (made) => ({ ...made, code: once + made.code });

export default {
  createTransformer(options) {
    const swc = createTransformer(options);
    return {
      ...swc,
      process: (...given) => withGlobals(swc.process(...given)),
      processAsync: async (...given) => withGlobals(await swc.processAsync(...given)),
      getCacheKey: (...given) =>
        createHash('sha256')
          .update(swc.getCacheKey(...given))
          .update(once)
          .digest('hex'),
    };
  },
};
