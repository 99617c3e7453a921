import react from '@vitejs/plugin-react';
import { defaultClientConditions, defineConfig } from 'vite';

const api = process.env.PANNET_API ?? 'http://127.0.0.1:4871';
/** As the server sends them: shared memory needs both. */
const isolation = {
  'Cross-Origin-Opener-Policy': 'same-origin',
  'Cross-Origin-Embedder-Policy': 'require-corp',
};

export default defineConfig({
  plugins: [react()],
  resolve: { conditions: ['pannet-source', ...defaultClientConditions] },
  worker: { format: 'es' },
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
