import { describe, expect, test } from 'vitest'
import { resolve } from 'node:path'
import { importGraph, readImports } from './import-graph.mjs'
import { circularImport, forbiddenImport } from './rooms.mjs'

describe('which room may import from which', () => {
  test.each([
    ['core/http/reuse.ts', 'delivery/listener/deliver.ts', 'core/ may import nothing of ours'],
    ['delivery/listener/deliver.ts', 'server/app.ts', 'delivery/ may import core'],
    ['web/main.ts', 'server/app.ts', 'web/ may import core'],
    ['cli/zest.ts', 'core/http/reuse.ts', 'cli/ may import core/contracts'],
    [
      'server/app.ts',
      'delivery/listener/deliver.ts',
      'server/ may import core, process, delivery/control, objects/control, lab',
    ],
    ['delivery/listener/deliver.ts', 'standins/site/site.ts', 'delivery/ may import core'],
    ['standins/site/site.ts', 'core/http/reuse.ts', 'standins/ may import core/formats'],
    ['objects/main.ts', 'delivery/listener/deliver.ts', 'objects/ may import core, process'],
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

describe('circles inside a room', () => {
  const imports: [string, string][] = [
    ['core/http/reuse.ts', 'core/http/fields.ts'],
    ['core/cache/key.ts', 'core/http/fields.ts'],
    ['core/http/reuse.ts', 'core/time.ts'],
    ['delivery/fetch/ask.ts', 'delivery/store/store.ts'],
    ['delivery/store/store.ts', 'delivery/metrics/counters.ts'],
    ['server/app.ts', 'delivery/control/client.ts'],
  ]
  const withImport = (from: string, to: string) => circularImport(from, to, importGraph([...imports, [from, to]]))
  test.each([
    ['core/http/fields.ts', 'core/http/reuse.ts', 'imports this file'],
    ['core/http/device.ts', 'core/cache/key.ts', 'core/cache/ imports from core/http/'],
    ['delivery/metrics/sums.ts', 'delivery/fetch/read.ts', 'delivery/fetch/ imports from delivery/metrics/'],
  ])('%s may not import %s', (from, to, why) => expect(withImport(from, to)).toContain(why))
  test.each([
    ['core/cache/queue.ts', 'core/http/fields.ts'],
    ['delivery/fetch/read.ts', 'delivery/metrics/sums.ts'],
    ['delivery/control/server.ts', 'server/app.ts'],
  ])('%s may import %s', (from, to) => expect(withImport(from, to)).toBeUndefined())
  test('the graph is read from the real files', () => {
    const { files } = importGraph(readImports(resolve(import.meta.dirname, '..'), ['core', 'delivery']))
    expect(files.get('delivery/listener/deliver.ts')).toContain('delivery/request/parse-request.ts')
  })
})
