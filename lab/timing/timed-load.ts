import type { RunOrder, RunOutcome } from '../../core/contracts/measuring.ts'
import type { TargetProfile, CdpTarget } from '../cdp/cdp-target.ts'
import { badStatus, failureSentence, neverQuiet, sentElsewhere } from '../cdp/failure-sentence.ts'
import { followLink } from './follow-link.ts'
import { readMetrics, waitUntilQuiet } from './read-metrics.ts'
import { RequestLog } from './request-log.ts'

/** @throws Error "Timeout" */
const before = <T>(deadline: number, work: Promise<T>): Promise<T> => {
  let timer: NodeJS.Timeout | undefined
  const late = new Promise<never>((_resolve, reject) => {
    timer = setTimeout(() => reject(new Error('Timeout')), Math.max(0, deadline - performance.now()))
  })
  return Promise.race([work, late]).finally(() => clearTimeout(timer))
}

/** Errors the page wrote to the console, and those nobody caught: the browser has kept them, and tells them now. */
const consoleErrors = async (tab: CdpTarget, log: RequestLog): Promise<number> => {
  let errors = 0
  tab.on('Runtime.consoleAPICalled', ({ type }) => {
    if (type === 'error') errors++
  })
  tab.on('Runtime.exceptionThrown', () => void errors++)
  tab.on('Log.entryAdded', ({ entry: { level, source, text, url = '' } }) => {
    if (level === 'error' && source !== 'worker' && !log.isAboutNone(text, url)) errors++
  })
  await Promise.all([tab.send('Runtime.enable'), tab.send('Log.enable')])
  return errors
}

/** Take on the visitor's device, and hear what happens on the page. */
const prepare = async (tab: CdpTarget, order: RunOrder, browserVersion: string): Promise<void> => {
  tab.on(
    'Page.javascriptDialogOpening',
    () => void tab.send('Page.handleJavaScriptDialog', { accept: false }).catch(() => undefined),
  )
  await tab.emulate(order.visitor, browserVersion)
  await tab.sendToAll('Network.enable', { maxTotalBufferSize: 0, maxResourceBufferSize: 0 })
  await tab.sendToAll('Page.enable')
}

/** Open an address by typing it in. */
const typeIn = async (tab: CdpTarget, url: string): Promise<void> => {
  const { errorText } = await tab.send('Page.navigate', { url })
  if (errorText !== undefined) throw new Error(errorText)
}

/** A page that is there and quiet, or what became of the load instead. */
type Arrived = { readonly kind: 'arrived'; readonly log: RequestLog } | RunOutcome

/**
 * Open a page, and wait until it is quiet.
 * @param open has the browser go there; it calls `hear` when what happens belongs to the page
 */
const arrive = async (
  tab: CdpTarget,
  order: RunOrder,
  deadline: number,
  open: (hear: () => void) => Promise<void>,
): Promise<Arrived> => {
  const log = new RequestLog()
  let loaded: Promise<void> = Promise.resolve()
  const hear = (): void => {
    log.attach(tab)
    loaded = new Promise<void>((resolve) => tab.on('Page.loadEventFired', () => resolve()))
  }
  await before(deadline, open(hear))
  await before(deadline, Promise.race([loaded, tab.gone]))
  const status = log.documentStatus
  if (status === undefined) return { kind: 'failed', why: `${order.url} gave no answer.` }
  if (status >= 400) return badStatus(order, status)
  const elsewhere = sentElsewhere(order, log.documentUrl)
  if (elsewhere !== undefined) return elsewhere
  return (await waitUntilQuiet(log, deadline)) === 'never' ? neverQuiet(order) : { kind: 'arrived', log }
}

const byTypingIn =
  (tab: CdpTarget, url: string) =>
  async (hear: () => void): Promise<void> => {
    hear()
    await typeIn(tab, url)
  }

/** Open the page by a link of the one before; where that has none, as if it were typed in. */
const byLink =
  (tab: CdpTarget, order: RunOrder) =>
  async (hear: () => void): Promise<void> => {
    let heard = false
    const once = (): void => {
      if (!heard) hear()
      heard = true
    }
    if ((await followLink(tab, order.url, order.visitor.device, once)) === 'followed') return
    once()
    await typeIn(tab, order.url)
  }

/**
 * Load the page once in a tab in which next to nothing listens: for all loads that count.
 * @param previousUrl page of the same visit from which it is opened, by its link where there is one; null: it is typed in
 */
export const timedLoad = async (
  profile: TargetProfile,
  order: RunOrder,
  browserVersion: string,
  previousUrl: string | null = null,
): Promise<RunOutcome> => {
  const tab = await profile.tab()
  try {
    await prepare(tab, order, browserVersion)
    if (previousUrl !== null) {
      const one = { ...order, url: previousUrl }
      const first = await arrive(tab, one, performance.now() + order.timeoutMs, byTypingIn(tab, previousUrl))
      if (first.kind !== 'arrived') return first
    }
    const deadline = performance.now() + order.timeoutMs
    const open = previousUrl === null ? byTypingIn(tab, order.url) : byLink(tab, order)
    const arrived = await arrive(tab, order, deadline, open)
    if (arrived.kind !== 'arrived') return arrived
    const { log } = arrived
    // A page whose script never ends would keep its answer back for good.
    const errors = await before(deadline, consoleErrors(tab, log))
    const metrics = await before(
      deadline,
      readMetrics((run) => tab.evaluate(run), log, errors),
    )
    return { kind: 'measured', metrics, requests: log.records(), details: null, frames: [] }
  } catch (error) {
    return { kind: 'failed', why: failureSentence(order, error as Error) }
  } finally {
    await tab.close()
  }
}
