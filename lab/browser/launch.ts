import { existsSync } from 'node:fs'
import { chromium, type Browser } from 'playwright-core'

/** Where Debian puts Chromium; ZEST_CHROMIUM names another. */
export const chromiumPath = (): string => process.env['ZEST_CHROMIUM'] ?? '/usr/bin/chromium'

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
  // Certificates made here are known to nobody. Told so at the start, Chromium does not open every connection twice, as it does when a
  // page is let through after its warning.
  '--ignore-certificate-errors',
  // Frames of other hosts stay in the page's process, so that their requests are seen with the page's own.
  '--disable-site-isolation-trials',
  '--disable-features=IsolateOrigins,site-per-process,Translate,OptimizationHints,MediaRouter,NetworkTimeServiceQuerying',
]

/** @throws Error with a sentence that says what to do when Chromium is missing or does not start */
export const launchBrowser = async (): Promise<Browser> => {
  if (!existsSync(chromiumPath())) throw new Error(NO_CHROMIUM)
  const root = process.getuid?.() === 0
  return chromium.launch({
    executablePath: chromiumPath(),
    headless: true,
    args: root ? ['--no-sandbox', ...ARGUMENTS] : ARGUMENTS,
  })
}
