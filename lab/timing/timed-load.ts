import type { RunOrder, RunOutcome } from '../../core/contracts/measuring.ts'
import type { TargetProfile, CdpTarget } from '../cdp/cdp-target.ts'
import { badStatus, failureSentence, neverQuiet, sentElsewhere } from '../cdp/failure-sentence.ts'
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

/** Load the page once in a tab in which next to nothing listens: for all loads that count. */
export const timedLoad = async (
  profile: TargetProfile,
  order: RunOrder,
  browserVersion: string,
): Promise<RunOutcome> => {
  const tab = await profile.tab()
  try {
    const log = new RequestLog()
    log.attach(tab)
    const deadline = performance.now() + order.timeoutMs
    const loaded = new Promise<void>((resolve) => tab.on('Page.loadEventFired', () => resolve()))
    tab.on(
      'Page.javascriptDialogOpening',
      () => void tab.send('Page.handleJavaScriptDialog', { accept: false }).catch(() => undefined),
    )
    await tab.emulate(order.visitor, browserVersion)
    await tab.send('Network.enable', { maxTotalBufferSize: 0, maxResourceBufferSize: 0 })
    await tab.send('Page.enable')
    const { errorText } = await before(deadline, tab.send('Page.navigate', { url: order.url }))
    if (errorText !== undefined) throw new Error(errorText)
    await before(deadline, Promise.race([loaded, tab.gone]))
    const status = log.documentStatus
    if (status === undefined) return { kind: 'failed', why: `${order.url} gave no answer.` }
    if (status >= 400) return badStatus(order, status)
    const elsewhere = sentElsewhere(order, log.documentUrl)
    if (elsewhere !== undefined) return elsewhere
    if ((await waitUntilQuiet(log, deadline)) === 'never') return neverQuiet(order)
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
