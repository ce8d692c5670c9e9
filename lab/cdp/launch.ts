import { existsSync } from 'node:fs'
import { chromium, type Browser } from 'playwright-core'
import { unprivileged } from './unprivileged.ts'

/** Debian's package chromium-headless-shell: the same engine without a window around the page (docs/decisions/034). */
const SHELL = '/usr/bin/chromium-headless-shell'

/** Where Debian puts Chromium, without a window where that is there; ZEST_CHROMIUM names another. */
export const chromiumPath = (): string =>
  process.env['ZEST_CHROMIUM'] ?? (existsSync(SHELL) ? SHELL : '/usr/bin/chromium')

export const NO_CHROMIUM =
  'Chromium is not installed, so nothing can be measured. Install it with "apt-get install chromium", or name its path in ZEST_CHROMIUM, and start again.'

/** Nothing but the page itself may use the network or the processor while measuring. */
const ARGUMENTS = [
  '--disable-quic',
  '--no-first-run',
  '--disable-background-networking',
  '--disable-component-update',
  '--disable-sync',
  '--disable-default-apps',
  '--disable-extensions',
  '--disable-gpu',
  // Certificates of a site may be known to nobody. Told so at the start, Chromium does not open every connection twice, as it does when a
  // page is let through after its warning. It stores nothing of what comes by them, though.
  '--ignore-certificate-errors',
  // Frames of other hosts stay in the page's process, so that their requests are seen with the page's own.
  '--disable-site-isolation-trials',
  // How far from the window lazy pictures and frames are loaded. Without a window the browser has no opinion of the link and would load
  // twice as far away; these are its own values for a good one, which a browser starts from.
  '--blink-settings=lazyLoadingImageMarginPxUnknown=1250,lazyLoadingFrameMarginPxUnknown=2500',
  '--disable-features=IsolateOrigins,site-per-process,Translate,OptimizationHints,MediaRouter,NetworkTimeServiceQuerying',
]

/**
 * Start Chromium with its sandbox, as a user without rights. Only where the machine has no way to make a sandbox it runs without, still without rights.
 * @param trusted digests of keys (SHA-256 of SubjectPublicKeyInfo, Base64) whose certificates count as good, whoever made them
 * @throws Error with a sentence that says what to do when Chromium is missing or does not start
 */
export const launchBrowser = async (trusted: readonly string[] = []): Promise<Browser> => {
  if (!existsSync(chromiumPath())) throw new Error(NO_CHROMIUM)
  const { path, env, end } = await unprivileged(chromiumPath())
  const args = [
    ...ARGUMENTS,
    ...(trusted.length === 0 ? [] : [`--ignore-certificate-errors-spki-list=${trusted.join(',')}`]),
  ]
  const launch = (chromiumSandbox: boolean): Promise<Browser> =>
    chromium.launch({ executablePath: path, headless: true, args, chromiumSandbox, env })
  const browser = await launch(true).catch((error: Error) => {
    if (!/sandbox/i.test(error.message)) throw error
    console.error(
      'Chromium cannot use a sandbox on this machine (user namespaces are switched off). Pages are loaded without one, by a user without rights.',
    )
    return launch(false)
  })
  browser.once('disconnected', () => {
    end().catch((error: Error) => console.error(error.message))
  })
  return browser
}
