import { availableParallelism } from 'node:os';
import { defineConfig } from 'vitest/config';

export default defineConfig({
  test: {
    // All of the machine: a small one would be left half idle by the usual one less.
    maxWorkers: availableParallelism(),
    experimental: { fsModuleCache: true },
    projects: [
      {
        test: {
          name: 'unit',
          include: ['core/**/*.test.ts', 'cli/**/*.test.ts', 'app/**/*.test.ts', 'scripts/**/*.test.ts'],
          exclude: ['**/node_modules/**', '**/dist/**'],
          testTimeout: 180_000,
          setupFiles: ['tests/helpers/equal-arrays.ts'],
          // The core is read once for all files; a test that changes anything outside of itself puts it back.
          isolate: false,
        },
      },
      {
        test: {
          name: 'reference',
          include: ['tests/reference/**/*.test.ts'],
          isolate: false,
          setupFiles: ['tests/helpers/equal-arrays.ts'],
          testTimeout: 300_000,
          hookTimeout: 300_000,
        },
      },
      {
        test: {
          name: 'browser',
          include: ['tests/browser/**/*.test.ts'],
          // What the tests read of the core is read once for all files.
          isolate: false,
          globalSetup: ['tests/helpers/stored-demo.ts'],
          testTimeout: 300_000,
          hookTimeout: 300_000,
          // What is waited for is there as soon as it is there: the time is for a machine that others share.
          expect: { poll: { timeout: 15_000 } },
          // None is tried twice, but where the machine is shared with strangers and says so.
          retry: Number(process.env.UPLAND_RETRY ?? 0),
        },
      },
    ],
  },
});
