import type { Browser, CDPSession } from 'playwright-core'
import type { RunOrder, VisitorProfile } from '../../core/contracts/measuring.ts'
import { LOCALE, userAgentOf } from './as-visitor.ts'

/** What a tab tells of itself; the names and shapes are those of the DevTools protocol. */
export type TabEvents = Pick<CDPSession, 'on'>

const GONE = 'The page crashed or was closed.'

type Listener = (event: never) => void
interface Waiting {
  readonly resolve: (result: unknown) => void
  readonly reject: (error: Error) => void
}
interface Reply {
  readonly id?: number
  readonly method?: string
  readonly params?: unknown
  readonly result?: unknown
  readonly error?: { readonly message: string }
}

/**
 * A tab with as little listening in it as can be. A tab of the automation library has a second script world and a listener for everything; on a phone's
 * processor they put the first paint off by a tenth (docs/decisions/032). Here nothing runs in the page while it loads, and only what is asked for is
 * listened to.
 */
export class CdpTarget implements TabEvents {
  readonly #root: CDPSession
  readonly #sessionId: string
  readonly #targetId: string
  readonly #waiting = new Map<number, Waiting>()
  readonly #listeners = new Map<string, Listener[]>()
  #lastId = 0
  #lose: (why: Error) => void = () => undefined
  /** Fails when the page has crashed or is closed: for whoever waits for something else than an answer. */
  readonly gone = new Promise<never>((_resolve, reject) => (this.#lose = reject))

  private constructor(root: CDPSession, targetId: string, sessionId: string) {
    this.#root = root
    this.#targetId = targetId
    this.#sessionId = sessionId
    root.on('Target.receivedMessageFromTarget', this.#receive)
    root.on('Target.detachedFromTarget', this.#detached)
    this.gone.catch(() => undefined)
  }

  /** @param root a session with the browser itself */
  static async open(root: CDPSession, browserContextId: string): Promise<CdpTarget> {
    const { targetId } = await root.send('Target.createTarget', { url: 'about:blank', browserContextId })
    // Not flattened: the automation library passes on to a session only what is meant for it.
    const { sessionId } = await root.send('Target.attachToTarget', { targetId, flatten: false })
    const tab = new CdpTarget(root, targetId, sessionId)
    tab.on('Inspector.targetCrashed', () => tab.#giveUp(new Error(GONE)))
    await tab.send('Inspector.enable')
    return tab
  }

  readonly #receive = ({ sessionId, message }: { sessionId: string; message: string }): void => {
    if (sessionId !== this.#sessionId) return
    const { id, method, params, result, error } = JSON.parse(message) as Reply
    if (method !== undefined) for (const listener of this.#listeners.get(method) ?? []) listener(params as never)
    if (id === undefined) return
    const waiting = this.#waiting.get(id)
    this.#waiting.delete(id)
    if (error === undefined) waiting?.resolve(result)
    else waiting?.reject(new Error(error.message))
  }

  readonly #detached = ({ sessionId }: { sessionId: string }): void => {
    if (sessionId === this.#sessionId) this.#giveUp(new Error(GONE))
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

  /** @throws Error with what the browser says, or when the tab is gone */
  readonly send: CDPSession['send'] = async (method, params) => {
    const id = ++this.#lastId
    const reply = new Promise<unknown>((resolve, reject) => this.#waiting.set(id, { resolve, reject }))
    const message = JSON.stringify({ id, method, params })
    await this.#root.send('Target.sendMessageToTarget', { sessionId: this.#sessionId, message })
    return (await reply) as never
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
      this.send('Emulation.setDeviceMetricsOverride', {
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
      this.send('Emulation.setUserAgentOverride', userAgentOf(visitor, browserVersion)),
      this.send('Emulation.setLocaleOverride', { locale: LOCALE }),
      this.send('Emulation.setFocusEmulationEnabled', { enabled: true }),
      this.send('Emulation.setEmulatedMedia', {
        features: [{ name: 'prefers-color-scheme', value: 'light' }],
      }),
      ...(mobile ? [this.send('Emulation.setTouchEmulationEnabled', { enabled: true })] : []),
      ...(cpuSlowdown > 1 ? [this.send('Emulation.setCPUThrottlingRate', { rate: cpuSlowdown })] : []),
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
