import { describe, expect, test } from 'vitest'
import { forbiddenImport } from './rooms.mjs'

describe('which room may import from which', () => {
  test.each([
    ['core/http/reuse.ts', 'delivery/deliver.ts', 'core/ may import nothing of ours'],
    ['delivery/deliver.ts', 'server/app.ts', 'delivery/ may import core'],
    ['web/main.ts', 'server/app.ts', 'web/ may import core'],
    ['cli/zest.ts', 'core/http/reuse.ts', 'cli/ may import core/contracts'],
    ['server/app.ts', 'delivery/deliver.ts', 'server/ may import core, delivery/control, lab'],
    ['delivery/deliver.ts', 'standins/site/site.ts', 'delivery/ may import core'],
    ['standins/site/site.ts', 'core/http/reuse.ts', 'standins/ may import core/formats'],
  ])('%s may not import %s', (from, to, why) => {
    expect(forbiddenImport(from, to)).toContain(why)
  })
  test.each([
    ['core/http/reuse.ts', 'core/time.ts'],
    ['server/app.ts', 'delivery/control/client.ts'],
    ['cli/zest.ts', 'core/contracts/jobs.ts'],
    ['e2e/loop.test.ts', 'standins/site/site.ts'],
    ['delivery/deliver.test.ts', 'standins/site/site.ts'],
  ])('%s may import %s', (from, to) => {
    expect(forbiddenImport(from, to)).toBeUndefined()
  })
})
