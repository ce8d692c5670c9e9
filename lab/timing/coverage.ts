import type { CDPSession } from 'playwright-core'
import type { UnusedBytes } from '../../core/contracts/measuring.ts'
import type { FunctionUse } from '../../core/measuring/script-use.ts'

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

/** As the profiler tells it: the first range of a function is the whole of it. */
interface RawCoverage {
  readonly scriptId: string
  readonly functions: readonly { readonly ranges: readonly Range[] }[]
}

/** A script and which of its functions ran. */
export interface ScriptCoverage {
  readonly scriptId: string
  readonly url: string
  readonly inline: boolean
  readonly functions: readonly FunctionUse[]
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

  /** @returns one entry per style sheet and script, the largest waste first; and which functions of the scripts ran */
  async read(): Promise<{ unused: UnusedBytes[]; scripts: ScriptCoverage[] }> {
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
    const unused = [...styles, ...scripts]
      .filter(({ totalBytes }) => totalBytes > 0)
      .sort((a, b) => b.unusedBytes - a.unusedBytes)
    return { unused, scripts: result.flatMap((one) => this.#functionsOf(one)) }
  }

  /** The functions of a script without the whole of it, which always runs. */
  #functionsOf({ scriptId, functions }: RawCoverage): ScriptCoverage[] {
    const script = this.#scripts.get(scriptId)
    if (script === undefined) return []
    const inner = functions.flatMap(({ ranges: [whole] }): FunctionUse[] => {
      if (whole === undefined || (whole.startOffset === 0 && whole.endOffset >= script.length)) return []
      return [{ startOffset: whole.startOffset, endOffset: whole.endOffset, called: whole.count > 0 }]
    })
    return [{ scriptId, url: script.url, inline: script.inline, functions: inner }]
  }
}
