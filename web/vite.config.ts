import babel from '@rolldown/plugin-babel';
import react, { reactCompilerPreset } from '@vitejs/plugin-react';
import { defineConfig } from 'vitest/config';

export default defineConfig({
  // A view is drawn anew only where what it shows has changed. Tests of parts do without: they start sooner.
  plugins: [react(), ...(process.env['VITEST'] ? [] : [babel({ presets: [reactCompilerPreset()] })])],
  build: { outDir: 'dist', chunkSizeWarningLimit: 1500 },
  // The guide is in docs.
  server: { host: '127.0.0.1', fs: { allow: ['..'] }, proxy: { '/api': 'http://127.0.0.1:8440' } },
  test: {
    environment: 'node',
    include: ['src/**/*.test.{ts,tsx}'],
    setupFiles: ['src/shared/testing/setup.ts'],
    // One environment per worker: the files share nothing that a test leaves behind.
    isolate: false,
    pool: 'threads',
    testTimeout: 60_000,
  },
});
