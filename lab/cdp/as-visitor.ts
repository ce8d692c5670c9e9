import type { Browser, BrowserContext } from 'playwright-core'
import type { VisitorProfile } from '../../core/contracts/measuring.ts'

const phoneAgent = (version: string): string =>
  `Mozilla/5.0 (Linux; Android 14) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/${version} Mobile Safari/537.36`

/** Language that all visitors prefer. */
export const LOCALE = 'en-GB'

/**
 * How a visitor's browser calls itself, for a tab without the automation library; the same as the library says in its tabs (User-Agent Client Hints §2).
 * @param version of Chromium
 */
export const userAgentOf = (
  { device }: Pick<VisitorProfile, 'device'>,
  version: string,
): {
  userAgent: string
  acceptLanguage: string
  userAgentMetadata?: {
    mobile: boolean
    model: string
    architecture: string
    platform: string
    platformVersion: string
  }
} =>
  device === 'phone'
    ? {
        userAgent: phoneAgent(version),
        acceptLanguage: LOCALE,
        userAgentMetadata: { mobile: true, model: '', architecture: 'arm', platform: 'Android', platformVersion: '14' },
      }
    : { userAgent: '', acceptLanguage: LOCALE }

/** Everything goes through the link, this machine's own addresses too. */
export const proxyAt = (socksPort: number): { server: string; bypass: string } => ({
  server: `socks5://127.0.0.1:${socksPort}`,
  bypass: '<-loopback>',
})

/** A browser of its own for a visitor, in the automation library: empty, with the visitor's screen, and everything through the link. */
export const contextFor = (browser: Browser, visitor: VisitorProfile, socksPort: number): Promise<BrowserContext> =>
  browser.newContext({
    viewport: { width: visitor.width, height: visitor.height },
    deviceScaleFactor: visitor.pixelRatio,
    isMobile: visitor.device === 'phone',
    hasTouch: visitor.device === 'phone',
    locale: LOCALE,
    proxy: proxyAt(socksPort),
    ...(visitor.device === 'phone' ? { userAgent: phoneAgent(browser.version()) } : {}),
  })
