import vue from '@vitejs/plugin-vue'
import vuetify from 'vite-plugin-vuetify'
import { defineConfig } from 'vitest/config'

/** Through the real interface, but without comparing how fast pages load: what runs beside them does not matter. */
const SIDE_BY_SIDE = ['operating', 'trial', 'upkeep', 'lab-client'].map((name) => `e2e/${name}.test.ts`)

/** A busy machine may take longer than the usual second until what is waited for has come. */
const patient = { poll: { timeout: 20_000 } }

/** Unit and integration tests stand beside what they test; those through the real interface are in e2e/. */
export default defineConfig({
  plugins: [vue(), vuetify({ autoImport: true })],
  publicDir: 'web/public',
  test: {
    // By itself a core stays free; with two, as where CI runs, that leaves one worker.
    maxWorkers: '100%',
    projects: [
      {
        extends: true,
        test: {
          name: 'unit',
          expect: patient,
          include: ['{core,process,delivery,objects,lab,server,cli,standins,scripts,bench}/**/*.test.ts'],
          exclude: ['**/*.long.test.ts'],
          environment: 'node',
          // One set of modules for all files of a worker: loading them again for each file took two fifths of the time. Tests put back what they replace.
          isolate: false,
          testTimeout: 30_000,
          hookTimeout: 60_000,
        },
      },
      // By themselves, because a worker that meets a file of another environment ends, and the next one loads all modules again.
      {
        extends: true,
        test: {
          name: 'interface',
          expect: patient,
          include: ['web/**/*.test.ts'],
          environment: 'jsdom',
          isolate: false,
          sequence: { groupOrder: 1 },
          // Vuetify's components import their styles, which Node by itself cannot read.
          server: { deps: { inline: ['vuetify'] } },
          testTimeout: 30_000,
          hookTimeout: 60_000,
        },
      },
      // Tests of the tests, and what else takes minutes: npm run test:long, before each release.
      {
        extends: true,
        test: {
          name: 'long',
          expect: patient,
          include: ['{core,process,delivery,objects,lab,server,web,cli,standins,scripts,bench,e2e}/**/*.long.test.ts'],
          // What measures does so alone.
          fileParallelism: false,
          environment: 'node',
          testTimeout: 600_000,
          hookTimeout: 300_000,
        },
      },
      // The behaviour of delivery once more, as visitors of a further process of a cluster see it. Part of npm run test:long.
      {
        extends: true,
        test: {
          name: 'further',
          expect: patient,
          include: ['delivery/{behaviour,adversarial,transform}/*.test.ts'],
          // What a first process does that has only begun.
          exclude: ['**/*.long.test.ts', 'delivery/behaviour/before-opening.test.ts'],
          environment: 'node',
          isolate: false,
          env: { ZEST_TEST_THROUGH: 'further' },
          testTimeout: 30_000,
          hookTimeout: 60_000,
        },
      },
      {
        extends: true,
        test: {
          name: 'e2e',
          expect: patient,
          include: ['e2e/**/*.test.ts'],
          exclude: ['**/*.long.test.ts', ...SIDE_BY_SIDE],
          environment: 'node',
          // The machine measures one thing at a time; so do the tests that measure.
          fileParallelism: false,
          sequence: { groupOrder: 2 },
          testTimeout: 600_000,
          hookTimeout: 300_000,
        },
      },
      {
        extends: true,
        test: {
          name: 'e2e-side-by-side',
          expect: patient,
          include: SIDE_BY_SIDE,
          environment: 'node',
          maxWorkers: 2,
          // Not beside those that measure.
          sequence: { groupOrder: 3 },
          testTimeout: 600_000,
          hookTimeout: 300_000,
        },
      },
    ],
  },
})
