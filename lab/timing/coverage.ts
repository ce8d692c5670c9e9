import type { CDPSession } from 'playwright-core'
import type { UnusedBytes } from '../../core/contracts/measuring.ts'

interface Range {
  readonly startOffset: number
  readonly endOffset: number
  readonly count: number
}

/**
 * Characters that inner ranges say never ran. Ranges nest, and the innermost one decides (V8 block coverage).
 * @param length of the text
 */
export const unusedLength = (ranges: readonly Range[], length: number): number => {
  const outerFirst = ranges.toSorted((a, b) => a.startOffset - b.startOffset || b.endOffset - a.endOffset)
  const used = new Uint8Array(length).fill(1)
  for (const { startOffset, endOffset, count } of outerFirst) used.fill(count > 0 ? 1 : 0, startOffset, endOffset)
  return used.reduce((sum, one) => sum + (one === 0 ? 1 : 0), 0)
}

/** Which bytes of styles and scripts a page load used. */
export class Coverage {
  readonly #cdp: CDPSession
  readonly #sheets = new Map<string, { url: string; length: number; inline: boolean }>()
  readonly #scripts = new Map<string, { url: string; length: number; inline: boolean }>()

  constructor(cdp: CDPSession) {
    this.#cdp = cdp
  }

  async start(): Promise<void> {
    this.#cdp.on('CSS.styleSheetAdded', ({ header }) => {
      if (header.origin === 'regular')
        this.#sheets.set(header.styleSheetId, {
          url: header.sourceURL,
          length: header.length,
          inline: header.isInline,
        })
    })
    this.#cdp.on('Debugger.scriptParsed', ({ scriptId, url, length, startLine, startColumn }) => {
      if (url !== '' && !url.startsWith('pptr:') && !url.startsWith('playwright:'))
        this.#scripts.set(scriptId, { url, length: length ?? 0, inline: startLine > 0 || startColumn > 0 })
    })
    await this.#cdp.send('DOM.enable')
    await this.#cdp.send('CSS.enable')
    await this.#cdp.send('CSS.startRuleUsageTracking')
    await this.#cdp.send('Debugger.enable')
    await this.#cdp.send('Debugger.setSkipAllPauses', { skip: true })
    await this.#cdp.send('Profiler.enable')
    // By function, not by block: counting blocks would slow the scripts whose time is taken in the same load.
    await this.#cdp.send('Profiler.startPreciseCoverage', { callCount: false, detailed: false })
  }

  /** @returns one entry per style sheet and script, the largest waste first */
  async read(): Promise<UnusedBytes[]> {
    const { ruleUsage } = await this.#cdp.send('CSS.stopRuleUsageTracking')
    const { result } = await this.#cdp.send('Profiler.takePreciseCoverage')
    const styles = [...this.#sheets].map(([id, { url, length, inline }]): UnusedBytes => {
      const used = ruleUsage
        .filter(({ styleSheetId, used: isUsed }) => styleSheetId === id && isUsed)
        .reduce((sum, { startOffset, endOffset }) => sum + endOffset - startOffset, 0)
      return { url, type: 'style', inline, totalBytes: length, unusedBytes: Math.max(0, length - used) }
    })
    const scripts = result.flatMap(({ scriptId, functions }): UnusedBytes[] => {
      const script = this.#scripts.get(scriptId)
      if (script === undefined) return []
      const { url, length, inline } = script
      const ranges = functions.flatMap(({ ranges: own }) => own)
      return [{ url, type: 'script', inline, totalBytes: length, unusedBytes: unusedLength(ranges, length) }]
    })
    return [...styles, ...scripts]
      .filter(({ totalBytes }) => totalBytes > 0)
      .sort((a, b) => b.unusedBytes - a.unusedBytes)
  }
}
