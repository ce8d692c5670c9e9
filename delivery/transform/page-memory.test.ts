import { describe, expect, test } from 'vitest'
import type { FileFacts } from '../../core/page/context/file-facts.ts'
import type { PageOrder } from '../../core/page/rewrite.ts'
import { PageMemory } from './page-memory.ts'

const style: FileFacts = { address: 'http://quay.example/a.css', kind: 'style', bytes: 3 }
const order = (more: Partial<PageOrder> = {}): PageOrder =>
  ({
    html: '<p>x',
    address: 'http://quay.example/',
    device: 'phone',
    facts: new Map([[style.address, style]]),
    alsoUsed: [],
    ...more,
  }) as PageOrder

/** How often two pages are rewritten, one after the other. */
const rewritten = async (one: [string, PageOrder], other: [string, PageOrder]): Promise<number> => {
  const memory = new PageMemory()
  let count = 0
  for (const [rules, wanted] of [one, other])
    await memory.rewritten(rules, wanted, async () => ({
      html: `${++count}`,
      changes: [],
      files: [],
      used: [],
      early: [],
    }))
  return count
}

describe('a page that was rewritten lately', () => {
  test('is not rewritten again', async () => expect(await rewritten(['1', order()], ['1', order()])).toBe(1))
  test.each<[string, [string, PageOrder]]>([
    ['by other remedies', ['2', order()]],
    ['with another text', ['1', order({ html: '<p>y' })]],
    ['at another address', ['1', order({ address: 'http://quay.example/b' })]],
    ['for another device', ['1', order({ device: 'laptop' })]],
    ['under another policy', ['1', order({ policy: "script-src 'self'" })]],
    ['with a file that has changed', ['1', order({ facts: new Map([[style.address, { ...style }]]) })]],
    ['once more selectors are known to be used', ['1', order({ alsoUsed: ['.a'] })]],
  ])('is rewritten again %s', async (_why, other) => expect(await rewritten(['1', order()], other)).toBe(2))
  test('one that failed is tried again', async () => {
    const memory = new PageMemory()
    await expect(memory.rewritten('1', order(), () => Promise.reject(new Error('no')))).rejects.toThrow('no')
    const page = { html: 'y', changes: [], files: [], used: [], early: [] }
    expect(await memory.rewritten('1', order(), async () => page)).toBe(page)
  })
})
