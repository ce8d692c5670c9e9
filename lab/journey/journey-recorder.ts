import type { Browser, BrowserContext, Page } from 'playwright-core'
import type { JourneyStep } from '../../core/contracts/measuring.ts'
import type { RecordedAct, RecordingState } from '../../core/contracts/recording.ts'
import { proxyAt } from '../cdp/as-visitor.ts'
import { selectorOf } from './selector.ts'
import { andSettle } from '../cdp/settle.ts'

const VIEW = { width: 1000, height: 640 }
const SETTLE_MS = 10_000
const OPEN_MS = 30_000

/** Somebody goes through a site in a browser of ours, and each thing they do becomes a step. */
export class JourneyRecorder {
  readonly #context: BrowserContext
  readonly #page: Page
  readonly #steps: JourneyStep[] = []

  private constructor(context: BrowserContext, page: Page) {
    this.#context = context
    this.#page = page
  }

  /** @throws Error when the page does not open */
  static async open(
    browser: Browser,
    {
      origin,
      path,
      cookies = [],
    }: { origin: string; path: string; cookies?: readonly { name: string; value: string }[] },
    linkPort: number,
  ): Promise<JourneyRecorder> {
    const context = await browser.newContext({ viewport: VIEW, locale: 'en-GB', proxy: proxyAt(linkPort) })
    await context.addCookies(cookies.map((cookie) => ({ ...cookie, url: origin })))
    const page = await context.newPage()
    await page.goto(origin + path, { waitUntil: 'load', timeout: OPEN_MS })
    const recorder = new JourneyRecorder(context, page)
    recorder.#steps.push({ do: 'open', path })
    return recorder
  }

  /** Do something, and note it. */
  async act(act: RecordedAct): Promise<RecordingState> {
    let note: string | null = null
    await andSettle(this.#page, async () => (note = await this.#do(act)), SETTLE_MS)
    return this.state(note)
  }

  async #do(act: RecordedAct): Promise<string | null> {
    switch (act.do) {
      case 'look':
        return null
      case 'scroll':
        await this.#page.mouse.wheel(0, act.by)
        return null
      case 'see':
      case 'click': {
        const target = await this.#page.evaluate(selectorOf, { x: act.x, y: act.y })
        if (target === null) return 'There is nothing at that point.'
        this.#steps.push({ do: act.do, target })
        if (act.do === 'click') await this.#page.mouse.click(act.x, act.y)
        return null
      }
      case 'type': {
        const target = await this.#page.evaluate(selectorOf, null)
        if (target === null) return 'Click into a field first.'
        await this.#page.locator(target).first().fill(act.text)
        // A click into the field before is part of typing into it.
        const last = this.#steps.at(-1)
        if (last?.do === 'click' && last.target === target) this.#steps.pop()
        this.#steps.push({ do: 'type', target, text: act.text })
        return null
      }
      case 'submit':
        return this.#submit()
    }
  }

  /** As the Enter key does: by the form's own button. */
  async #submit(): Promise<string | null> {
    const point = await this.#page.evaluate(() => {
      const form = document.activeElement?.closest('form')
      const button = form?.querySelector('button:not([type="button"]):not([type="reset"]),input[type="submit"]')
      if (!button) return null
      button.scrollIntoView({ block: 'center' })
      const box = button.getBoundingClientRect()
      return { x: box.left + box.width / 2, y: box.top + box.height / 2 }
    })
    return point === null ? 'The field is not in a form with a submit button.' : this.#do({ do: 'click', ...point })
  }

  async state(note: string | null = null): Promise<RecordingState> {
    const jpeg = await this.#page.screenshot({ type: 'jpeg', quality: 70, scale: 'css' })
    return { url: this.#page.url(), jpeg: jpeg.toString('base64'), ...VIEW, steps: [...this.#steps], note }
  }

  async close(): Promise<void> {
    await this.#context.close()
  }
}
