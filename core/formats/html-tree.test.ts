import fc from 'fast-check'
import { parse } from 'parse5'
import { describe, expect, test } from 'vitest'
import { namedInHtml } from '../model/recording-from-html.ts'
import { readPage } from '../page/document/page-document.ts'
import { mayFit } from '../page/styles/selectors.ts'
import { pageValues } from '../privacy/page-values.ts'
import { linkedPages, structureOf } from '../sampling/links.ts'
import { htmlElements, htmlNodes, inDocumentOrder } from './html-tree.ts'

interface Made {
  readonly name: number
  readonly children: readonly Made[]
}

describe('a tree in the order of the document', () => {
  const { tree: made } = fc.letrec<{ tree: Made }>((tie) => ({
    tree: fc.oneof(
      { maxDepth: 6 },
      fc.record({ name: fc.integer(), children: fc.constant([]) }),
      fc.record({ name: fc.integer(), children: fc.array(tie('tree'), { maxLength: 4 }) }),
    ),
  }))
  const byCallingItself = (node: Made, depth = 0): [number, number][] => [
    [node.name, depth],
    ...node.children.flatMap((child) => byCallingItself(child, depth + 1)),
  ]

  test('is the same as that of a walk that calls itself', () => {
    fc.assert(
      fc.property(made, (tree) => {
        const walked = [...inDocumentOrder(tree, ({ children }) => children)]
        expect(walked.map(({ node, depth }) => [node.name, depth])).toEqual(byCallingItself(tree))
      }),
    )
  })
  test('elements know how deep and where they stand, and what templates hold is left out', () => {
    const html = '<!doctype html><title>Quay</title><template><b>x</b></template><p>One<i>two</i></p>'
    const found = [...htmlElements(parse(html, { sourceCodeLocationInfo: true }))]
    expect(found.map(({ node, depth }) => `${node.tagName} ${depth}`)).toEqual([
      'html 1',
      'head 2',
      'title 3',
      'template 3',
      'body 2',
      'p 3',
      'i 4',
    ])
    const { startOffset } = found.at(-1)!.node.sourceCodeLocation!
    expect(html.slice(startOffset)).toMatch(/^<i>two/)
  })
})

describe('a page that nests deeper than the call stack', () => {
  const DEPTH = 60_000
  const html = `<!doctype html><title>Deep</title>${'<div>'.repeat(DEPTH)}<a class="last" href="/quays" data-key="tide">x</a><img src="/deep.png" alt="">`
  const address = 'http://ferry.example/deep'

  test('is read whole by everything that reads pages', () => {
    const deepest = [...htmlNodes(parse(html))].reduce((most, { depth }) => Math.max(most, depth), 0)
    expect(deepest).toBeGreaterThan(DEPTH)
    expect(linkedPages(html, address)).toEqual(['/quays'])
    expect(structureOf(html).size).toBeGreaterThan(4)
    expect(namedInHtml(html, address).map(({ url }) => url)).toEqual(['http://ferry.example/deep.png'])
    expect([...pageValues(html).places.values()]).toContain('tide')
    const page = readPage(html, new URL(address))
    expect(page.elements.at(-1)!.name).toBe('img')
    expect([mayFit('.last', page.root), mayFit('.other', page.root)]).toEqual([true, false])
  })
})
