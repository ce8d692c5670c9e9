import type { Browser, CDPSession } from 'playwright-core'
import type { RunOrder, VisitorProfile } from '../../core/contracts/measuring.ts'
import { LOCALE, userAgentOf } from './as-visitor.ts'

/** What a tab tells of itself; the names and shapes are those of the DevTools protocol. */
export type TabEvents = Pick<CDPSession, 'on'>

const GONE = 'The page crashed or was closed.'

/** Events of a page that is not shown; one that makes more of them is no page to measure. */
const MOST_HEARD = 20_000

/** What was asked of a page has no answer, since another page has taken its place. */
export class PageReplaced extends Error {}

type Listener = (event: never) => void
interface Waiting {
  readonly sessionId: string | undefined
  readonly resolve: (result: unknown) => void
  readonly reject: (error: Error) => void
}
interface Reply {
  readonly id?: number
  readonly method?: string
  readonly params?: unknown
  readonly result?: unknown
  readonly error?: { readonly message: string }
  readonly sessionId?: string
}
/** What a tab tells of its pages. */
interface TabEvent {
  readonly sessionId?: string
  readonly targetInfo?: { readonly targetId: string; readonly subtype?: string }
}

/** What has been listened for, and what is told to every page of a tab before it begins. */
type Order = { readonly method: string; readonly params: unknown }

/** One page of a tab: the one that is shown, or one that is rendered ahead. */
interface AttachedPage {
  readonly sessionId: string
  readonly targetId: string
  /** Events of a page that is not shown yet, in their order. */
  readonly heard: { readonly method: string; readonly params: unknown }[]
}

/**
 * A tab with as little listening in it as can be. A tab of the automation library has a second script world and a listener for everything; on a phone's
 * processor they put the first paint off by a tenth (docs/decisions/032). Here nothing runs in the page while it loads, and only what is asked for is
 * listened to.
 *
 * What is attached to is the tab, not its page: a browser renders pages ahead only in tabs whose page may be replaced by one of them
 * (docs/decisions/052). Once such a page is shown, it takes the place of the one before.
 */
export class CdpTarget implements TabEvents {
  readonly #root: CDPSession
  readonly #tabSessionId: string
  readonly #targetId: string
  readonly #waiting = new Map<number, Waiting>()
  readonly #listeners = new Map<string, Listener[]>()
  #lastId = 0
  #shown: AttachedPage | undefined
  readonly #ahead = new Map<string, AttachedPage>()
  /** Told to the page once, and to each that is rendered ahead. */
  readonly #toAll: Order[] = []
  readonly #onActivated: (() => void)[] = []
  #lose: (why: Error) => void = () => undefined
  /** Fails when the page has crashed or is closed: for whoever waits for something else than an answer. */
  readonly gone = new Promise<never>((_resolve, reject) => (this.#lose = reject))

  private constructor(root: CDPSession, targetId: string, sessionId: string) {
    this.#root = root
    this.#targetId = targetId
    this.#tabSessionId = sessionId
    root.on('Target.receivedMessageFromTarget', this.#receive)
    root.on('Target.detachedFromTarget', this.#detached)
    this.gone.catch(() => undefined)
  }

  /** @param root a session with the browser itself */
  static async open(root: CDPSession, browserContextId: string): Promise<CdpTarget> {
    const { targetId } = await root.send('Target.createTarget', { url: 'about:blank', browserContextId, forTab: true })
    // Not flattened: the automation library passes on to a session only what is meant for it. Within it, the sessions of pages are.
    const { sessionId } = await root.send('Target.attachToTarget', { targetId, flatten: false })
    const tab = new CdpTarget(root, targetId, sessionId)
    tab.on('Inspector.targetCrashed', () => tab.#giveUp(new Error(GONE)))
    await tab.#sendTo(undefined, 'Target.setAutoAttach', {
      autoAttach: true,
      waitForDebuggerOnStart: true,
      flatten: true,
      filter: [{ type: 'page' }],
    })
    await tab.send('Inspector.enable')
    return tab
  }

  readonly #receive = ({ sessionId, message }: { sessionId: string; message: string }): void => {
    if (sessionId !== this.#tabSessionId) return
    const { id, method, params, result, error, sessionId: from } = JSON.parse(message) as Reply
    if (method !== undefined) this.#hear(from, method, params)
    if (id === undefined) return
    const waiting = this.#waiting.get(id)
    this.#waiting.delete(id)
    if (error === undefined) waiting?.resolve(result)
    else waiting?.reject(new Error(error.message))
  }

  #hear(from: string | undefined, method: string, params: unknown): void {
    if (from === undefined) return this.#hearTab(method, params as TabEvent)
    const ahead = this.#ahead.get(from)
    if (ahead !== undefined) {
      if (ahead.heard.length < MOST_HEARD) ahead.heard.push({ method, params })
      return
    }
    if (from === this.#shown?.sessionId) this.#tell(method, params)
  }

  #tell(method: string, params: unknown): void {
    for (const listener of this.#listeners.get(method) ?? []) listener(params as never)
  }

  /** Pages of the tab come and go. */
  #hearTab(method: string, { sessionId, targetInfo }: TabEvent): void {
    if (method === 'Target.attachedToTarget' && sessionId !== undefined && targetInfo !== undefined) {
      const page = { sessionId, targetId: targetInfo.targetId, heard: [] }
      if (targetInfo.subtype === 'prerender') this.#attachAhead(page)
      else this.#shown ??= page
    } else if (method === 'Target.targetInfoChanged' && targetInfo !== undefined && targetInfo.subtype !== 'prerender')
      this.#show(targetInfo.targetId)
    else if (method === 'Target.detachedFromTarget' && sessionId !== undefined) {
      this.#ahead.delete(sessionId)
      for (const { sessionId: asked, reject } of this.#waiting.values())
        if (asked === sessionId) reject(new PageReplaced('The page was replaced.'))
      // Its page may be replaced by one that was rendered ahead, of which is told right after.
      if (sessionId === this.#shown?.sessionId && this.#ahead.size === 0) this.#giveUp(new Error(GONE))
    }
  }

  /** A page rendered ahead is seen as the same visitor's, and goes on. */
  #attachAhead(page: AttachedPage): void {
    this.#ahead.set(page.sessionId, page)
    const orders = [...this.#toAll, { method: 'Runtime.runIfWaitingForDebugger', params: {} }]
    for (const { method, params } of orders) this.#sendTo(page.sessionId, method, params).catch(() => undefined)
  }

  #show(targetId: string): void {
    const page = [...this.#ahead.values()].find((one) => one.targetId === targetId)
    if (page === undefined) return
    this.#ahead.delete(page.sessionId)
    this.#shown = page
    for (const listener of this.#onActivated.splice(0)) listener()
    // What happened before it was shown is told now, in its order.
    for (const { method, params } of page.heard) this.#tell(method, params)
  }

  /** Called once, when a page that was rendered ahead takes the place of the one that was shown. */
  onceActivated(listener: () => void): void {
    this.#onActivated.push(listener)
  }

  readonly #detached = ({ sessionId }: { sessionId: string }): void => {
    if (sessionId === this.#tabSessionId) this.#giveUp(new Error(GONE))
  }

  #giveUp(why: Error): void {
    for (const { reject } of this.#waiting.values()) reject(why)
    this.#waiting.clear()
    this.#lose(why)
  }

  /** Listen to an event; the domain it belongs to has to be enabled. */
  readonly on: CDPSession['on'] = (event: string, listener: Listener) => {
    this.#listeners.set(event, [...(this.#listeners.get(event) ?? []), listener])
    return this as unknown as CDPSession
  }

  /** To the page that is shown. @throws Error with what the browser says, or when the tab is gone */
  readonly send: CDPSession['send'] = async (method, params) =>
    (await this.#sendTo(this.#shown?.sessionId, method, params)) as never

  /** To the page that is shown, and to each that is rendered ahead from then on. @throws Error as send does */
  readonly sendToAll: CDPSession['send'] = (method, params) => {
    this.#toAll.push({ method, params })
    return this.send(method, params)
  }

  /** @param sessionId of a page; undefined: to the tab itself */
  async #sendTo(sessionId: string | undefined, method: string, params: unknown): Promise<unknown> {
    const id = ++this.#lastId
    const reply = new Promise<unknown>((resolve, reject) => this.#waiting.set(id, { sessionId, resolve, reject }))
    const message = JSON.stringify({ id, method, params, sessionId })
    await this.#root.send('Target.sendMessageToTarget', { sessionId: this.#tabSessionId, message })
    return reply
  }

  /** Run a function in the page; it may use nothing from outside. @throws Error when it throws */
  async evaluate<T>(run: () => T | Promise<T>): Promise<T> {
    const { result, exceptionDetails } = await this.send('Runtime.evaluate', {
      expression: `(${run.toString()})()`,
      awaitPromise: true,
      returnByValue: true,
    })
    if (exceptionDetails !== undefined)
      throw new Error(exceptionDetails.exception?.description ?? exceptionDetails.text)
    return result.value as T
  }

  /** Take on the visitor's device. */
  async emulate(visitor: VisitorProfile, browserVersion: string): Promise<void> {
    const { width, height, pixelRatio, device, cpuSlowdown } = visitor
    const mobile = device === 'phone'
    await Promise.all([
      this.sendToAll('Emulation.setDeviceMetricsOverride', {
        width,
        height,
        screenWidth: width,
        screenHeight: height,
        deviceScaleFactor: pixelRatio,
        mobile,
        screenOrientation:
          mobile && height >= width
            ? { angle: 0, type: 'portraitPrimary' }
            : { angle: mobile ? 90 : 0, type: 'landscapePrimary' },
      }),
      this.sendToAll('Emulation.setUserAgentOverride', userAgentOf(visitor, browserVersion)),
      this.sendToAll('Emulation.setLocaleOverride', { locale: LOCALE }),
      this.sendToAll('Emulation.setFocusEmulationEnabled', { enabled: true }),
      this.sendToAll('Emulation.setEmulatedMedia', {
        features: [{ name: 'prefers-color-scheme', value: 'light' }],
      }),
      ...(mobile ? [this.sendToAll('Emulation.setTouchEmulationEnabled', { enabled: true })] : []),
      ...(cpuSlowdown > 1 ? [this.sendToAll('Emulation.setCPUThrottlingRate', { rate: cpuSlowdown })] : []),
    ])
  }

  async close(): Promise<void> {
    this.#root.off('Target.receivedMessageFromTarget', this.#receive)
    this.#root.off('Target.detachedFromTarget', this.#detached)
    await this.#root.send('Target.closeTarget', { targetId: this.#targetId }).catch(() => undefined)
    this.#giveUp(new Error('The page was closed.'))
  }
}

/** A browser of its own for a visitor: empty, and everything through the link. */
export class TargetProfile {
  readonly #root: CDPSession
  readonly #browserContextId: string

  private constructor(root: CDPSession, browserContextId: string) {
    this.#root = root
    this.#browserContextId = browserContextId
  }

  /** @param cookies that the visitor has, of the host of `url` */
  static async open(
    browser: Browser,
    socksPort: number,
    { cookies, url }: Pick<RunOrder, 'cookies' | 'url'>,
  ): Promise<TargetProfile> {
    const root = await browser.newBrowserCDPSession()
    const { browserContextId } = await root.send('Target.createBrowserContext', {
      disposeOnDetach: true,
      proxyServer: `socks5://127.0.0.1:${socksPort}`,
      proxyBypassList: '<-loopback>',
    })
    const { origin } = new URL(url)
    if (cookies.length > 0)
      await root.send('Storage.setCookies', {
        browserContextId,
        cookies: cookies.map((cookie) => ({ ...cookie, url: origin })),
      })
    return new TargetProfile(root, browserContextId)
  }

  tab(): Promise<CdpTarget> {
    return CdpTarget.open(this.#root, this.#browserContextId)
  }

  async close(): Promise<void> {
    await this.#root
      .send('Target.disposeBrowserContext', { browserContextId: this.#browserContextId })
      .catch(() => undefined)
    await this.#root.detach().catch(() => undefined)
  }
}
