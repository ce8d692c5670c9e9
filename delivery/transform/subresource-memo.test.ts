import { describe, expect, test } from 'vitest'
import type { FileFacts } from '../../core/page/context/file-facts.ts'
import { epochMs } from '../../core/time.ts'
import { FactsMemory } from './facts-memory.ts'
import { RecalledFacts } from './subresource-memo.ts'

/** Looks at a file that the test lets end one by one. */
const looks = () => {
  const open: ((bytes: number) => void)[] = []
  const learn = () =>
    new Promise<FileFacts>((done) =>
      open.push((bytes) => done({ address: 'http://quay.example/a.js', kind: 'script', bytes })),
    )
  return { open, learn }
}
const at = (seconds: number) => epochMs(seconds * 1000)

describe('what was learned of a file that is not stored', () => {
  test('is learned once for all who come while it is looked at', async () => {
    const recalled = new RecalledFacts(new FactsMemory())
    const { open, learn } = looks()
    const both = Promise.all([recalled.of('a', at(0), learn), recalled.of('a', at(0), learn)])
    expect(open.length).toBe(1)
    open[0]!(5)
    expect((await both).map((facts) => facts?.bytes)).toEqual([5, 5])
  })
  test('is looked at again behind a visitor’s back after ten seconds, before anybody’s eyes after two minutes', async () => {
    const recalled = new RecalledFacts(new FactsMemory())
    const { open, learn } = looks()
    const first = recalled.of('a', at(0), learn)
    open[0]!(5)
    await first
    expect((await recalled.of('a', at(9), learn))?.bytes).toBe(5)
    expect(open.length).toBe(1)
    expect((await recalled.of('a', at(60), learn))?.bytes).toBe(5)
    expect(open.length).toBe(2)
    const late = recalled.of('a', at(121), learn)
    open[1]!(6)
    expect((await late)?.bytes).toBe(6)
  })
  test('a look that a purge has overtaken is not recalled', async () => {
    const recalled = new RecalledFacts(new FactsMemory())
    const { open, learn } = looks()
    const overtaken = recalled.of('a', at(0), learn)
    recalled.forget()
    const after = recalled.of('a', at(1), learn)
    open[1]!(6)
    await after
    open[0]!(5)
    expect((await overtaken)?.bytes).toBe(5)
    expect((await recalled.of('a', at(2), learn))?.bytes).toBe(6)
  })
  test('a look that failed is taken again', async () => {
    const recalled = new RecalledFacts(new FactsMemory())
    await expect(recalled.of('a', at(0), () => Promise.reject(new Error('gone')))).rejects.toThrow('gone')
    const { open, learn } = looks()
    const again = recalled.of('a', at(0), learn)
    open[0]!(5)
    expect((await again)?.bytes).toBe(5)
  })
})
