import { svelte } from '@sveltejs/vite-plugin-svelte';
import tailwindcss from '@tailwindcss/vite';
import { defineConfig } from 'vitest/config';

export default defineConfig({
  plugins: [svelte(), tailwindcss()],
  build: {
    outDir: '../src/caddrel/service/static',
    emptyOutDir: true,
    // Nothing is inlined: the content security policy allows files of our own only.
    assetsInlineLimit: 0,
    target: 'es2022',
  },
  test: { include: ['tests/**/*.test.ts'] },
  server: { proxy: { '/api': 'http://127.0.0.1:8420', '/healthz': 'http://127.0.0.1:8420' } },
});
