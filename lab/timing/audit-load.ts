import type { BrowserContext } from 'playwright-core'
import type { RunOrder, RunOutcome } from '../../core/contracts/measuring.ts'
import { badStatus, failureSentence, neverQuiet, sentElsewhere } from '../cdp/failure-sentence.ts'
import { Instruments } from './instruments.ts'
import { readMetrics, waitUntilQuiet } from './read-metrics.ts'
import { RequestLog } from './request-log.ts'

/** Load the page once in a tab of the automation library, which can follow journeys and look at everything. */
export const auditLoad = async (context: BrowserContext, order: RunOrder): Promise<RunOutcome> => {
  const page = await context.newPage()
  const all = order.instruments === 'all'
  let instruments: Instruments | undefined
  try {
    const log = new RequestLog()
    const cdp = await context.newCDPSession(page)
    await cdp.send('Network.enable', all ? {} : { maxTotalBufferSize: 0, maxResourceBufferSize: 0 })
    if (order.visitor.cpuSlowdown > 1)
      await cdp.send('Emulation.setCPUThrottlingRate', { rate: order.visitor.cpuSlowdown })
    log.attach(cdp)
    let consoleErrors = 0
    page.on('console', (message) => {
      if (message.type() === 'error' && !log.isAboutNone(message.text(), message.location().url)) consoleErrors++
    })
    page.on('pageerror', () => consoleErrors++)
    if (all) {
      instruments = new Instruments(context.browser()!, page, cdp, log)
      await instruments.start()
    }
    const deadline = performance.now() + order.timeoutMs
    const response = await page.goto(order.url, { waitUntil: 'load', timeout: order.timeoutMs })
    if (response === null) return { kind: 'failed', why: `${order.url} gave no answer.` }
    if (response.status() >= 400) return badStatus(order, response.status())
    const elsewhere = sentElsewhere(order, response.url())
    if (elsewhere !== undefined) return elsewhere
    if ((await waitUntilQuiet(log, deadline)) === 'never') return neverQuiet(order)
    const metrics = await readMetrics((run) => page.evaluate(run), log, consoleErrors)
    const read = await instruments?.read(metrics.loadedMs, order.visitor.cpuSlowdown)
    return {
      kind: 'measured',
      metrics,
      requests: read?.requests ?? log.records(),
      details: read?.details ?? null,
      frames: read?.frames ?? [],
    }
  } catch (error) {
    return { kind: 'failed', why: failureSentence(order, error as Error) }
  } finally {
    await instruments?.stop()
    await page.close().catch(() => undefined)
  }
}
