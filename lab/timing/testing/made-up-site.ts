import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http'
import type { AddressInfo } from 'node:net'
import type { Browser } from 'playwright-core'
import type { RunOrder, RunOutcome } from '../../../core/contracts/measuring.ts'
import { aRunOrder } from '../../../core/measuring/testing/made-up.ts'
import { LinkRelay } from '../../link/link-relay.ts'
import { launchBrowser } from '../../cdp/launch.ts'
import { probe } from '../probe.ts'

export type Answer = (req: IncomingMessage, res: ServerResponse) => void

export type Measured = Extract<RunOutcome, { kind: 'measured' }>

/** Chromium takes a picture of fewer than 0.05 bits a pixel for a background, not for content; so it is padded. */
export const SVG = `<svg xmlns="http://www.w3.org/2000/svg" width="400" height="300"><rect width="400" height="300" fill="teal"/><!-- ${'pad '.repeat(500)}--></svg>`

/** A page with this body. */
export const html =
  (body: string, delayMs = 0): Answer =>
  (_req, res) => {
    setTimeout(
      () =>
        res
          .writeHead(200, { 'content-type': 'text/html' })
          .end(`<!doctype html><html lang="en"><title>x</title>${body}`),
      delayMs,
    )
  }

/** @throws Error with the reason of a failed load */
export const measured = (outcome: RunOutcome): Measured => {
  if (outcome.kind === 'failed') throw new Error(outcome.why)
  return outcome
}

/** For tests: real Chromium, and a site of a few answers that it loads over the simulated link. */
export class MadeUpSite {
  /** By path; anything else is 404. */
  pages: Record<string, Answer> = {}
  /** Paths that were asked for, in order. */
  readonly asked: string[] = []
  readonly browser: Browser
  readonly #server: Server

  private constructor(browser: Browser) {
    this.browser = browser
    this.#server = createServer((req, res) => {
      const path = new URL(req.url!, 'http://x').pathname
      this.asked.push(path)
      const page = this.pages[path]
      if (page === undefined) res.writeHead(404).end()
      else page(req, res)
    })
  }

  static async open(): Promise<MadeUpSite> {
    const site = new MadeUpSite(await launchBrowser())
    await new Promise<void>((resolve) => site.#server.listen(0, '127.0.0.1', resolve))
    return site
  }

  get port(): number {
    return (this.#server.address() as AddressInfo).port
  }

  get origin(): string {
    return `http://quay.localhost:${this.port}`
  }

  async load(path: string, more: Partial<RunOrder> = {}): Promise<RunOutcome> {
    const order = aRunOrder(this.origin + path, more)
    const relay = new LinkRelay({ ...order.visitor, privateAddresses: 'allowed' })
    const outcome = await probe(this.browser, order, await relay.listen())
    await relay.close()
    return outcome
  }

  async close(): Promise<void> {
    await this.browser.close()
    this.#server.closeAllConnections()
    this.#server.close()
  }
}
