import react from '@vitejs/plugin-react';
import { readFileSync } from 'node:fs';
import { defaultClientConditions, defineConfig, type Plugin } from 'vite';

const api = process.env.PANNET_API ?? 'http://127.0.0.1:4871';
/** As the server sends them: shared memory needs both. */
const isolation = {
  'Cross-Origin-Opener-Policy': 'same-origin',
  'Cross-Origin-Embedder-Policy': 'require-corp',
};

/**
 * zod brings what writes JSON schemas into all that uses it, a tenth of what a visit fetches; the browser never asks for one, and would be told so.
 */
function withoutJsonSchemas(): Plugin {
  const writers =
    /\/zod\/v4\/core\/(to-json-schema|json-schema-processors|json-schema-generator)\.js$/;
  return {
    name: 'without-json-schemas',
    enforce: 'pre',
    load(id) {
      if (!writers.test(id)) return null;
      const names = readFileSync(id, 'utf8').matchAll(/^export (?:const|function|class) (\w+)/gm);
      const exported = [...names].map(([, name]) =>
        // Called as each schema is made: what they make is what refuses.
        name.startsWith('create')
          ? `export const ${name} = () => refuse;`
          : `export const ${name} = refuse;`,
      );
      const refuse =
        "const refuse = () => { throw new Error('The browser is not given what writes JSON schemas.'); };";
      return [refuse, ...exported].join('\n');
    },
  };
}

export default defineConfig({
  plugins: [react(), withoutJsonSchemas()],
  resolve: { conditions: ['pannet-source', ...defaultClientConditions] },
  worker: { format: 'es', plugins: () => [withoutJsonSchemas()] },
  build: { target: 'es2023', chunkSizeWarningLimit: 2000 },
  css: {
    preprocessorOptions: {
      // Bootstrap 5 is written for the older module system of Sass.
      scss: {
        quietDeps: true,
        silenceDeprecations: ['import', 'global-builtin', 'color-functions', 'if-function'],
      },
    },
  },
  server: { proxy: { '/api': api }, headers: isolation },
});
