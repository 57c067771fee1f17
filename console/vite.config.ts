import tailwindcss from '@tailwindcss/vite';
import react from '@vitejs/plugin-react';
import { defineConfig } from 'vitest/config';

export default defineConfig({
  plugins: [react(), tailwindcss()],
  html: { cspNonce: '{{nonce}}' },
  resolve: { alias: { '@': new URL('./src', import.meta.url).pathname } },
  build: {
    outDir: '../internal/console/dist',
    emptyOutDir: true,
    assetsInlineLimit: 0,
    chunkSizeWarningLimit: 700,
  },
  server: { proxy: { '/api': 'http://127.0.0.1:7400' } },
  // the tests share nothing that one of them changes: a process for each file would take most of the time
  test: { include: ['src/**/*.test.{ts,tsx}'], pool: 'threads', isolate: false },
});
