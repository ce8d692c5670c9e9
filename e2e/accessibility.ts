import { readFile } from 'node:fs/promises'
import { createRequire } from 'node:module'
import type { Page } from 'playwright-core'

const axePath = createRequire(import.meta.url).resolve('axe-core/axe.min.js')
let source: Promise<string> | undefined

/** What npm axe-core finds wrong with a page by WCAG 2.2 A and AA; one line for each rule. */
export const accessibilityProblems = async (page: Page): Promise<string[]> => {
  source ??= readFile(axePath, 'utf8')
  // Evaluated by the browser's own tools, which the page's content security policy does not concern.
  await page.evaluate(await source)
  return page.evaluate(async () => {
    const axe = (
      window as unknown as {
        axe: {
          run: (options: unknown) => Promise<{
            violations: { id: string; nodes: { target: string[]; failureSummary: string }[] }[]
          }>
        }
      }
    ).axe
    const { violations } = await axe.run({
      runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa'],
    })
    return violations.map(
      ({ id, nodes }) =>
        `${id}: ${nodes[0]!.target.join(' ')} (${nodes.length}): ${nodes[0]!.failureSummary.replaceAll('\n', ' ')}`,
    )
  })
}
