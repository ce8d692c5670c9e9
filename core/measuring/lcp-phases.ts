import type { LcpPhases, RequestRecord, TtfbPhases } from '../contracts/measuring.ts'

/** When a request had been answered in full, ms. */
export const endOf = ({ startMs, queuedMs, connectMs, tlsMs, waitMs, receiveMs }: RequestRecord): number =>
  startMs + queuedMs + connectMs + tlsMs + waitMs + receiveMs

/**
 * The four parts of the time to the main content (common practice). For text there is nothing to discover or download, so all
 * after the first byte is rendering.
 * @param requests of the load, by time
 */
export const lcpPhases = (
  metrics: { readonly ttfbMs: number; readonly lcpMs: number | null; readonly lcpUrl: string | null },
  requests: readonly RequestRecord[],
): LcpPhases | null => {
  const { ttfbMs, lcpMs, lcpUrl } = metrics
  if (lcpMs === null) return null
  const waitMs = Math.min(ttfbMs, lcpMs)
  const resource = lcpUrl === null ? undefined : requests.find(({ url }) => url === lcpUrl)
  if (resource === undefined) return { waitMs, discoveryMs: 0, downloadMs: 0, renderMs: lcpMs - waitMs }
  const asked = Math.min(lcpMs, Math.max(waitMs, resource.startMs))
  const came = Math.min(lcpMs, Math.max(asked, endOf(resource)))
  return { waitMs, discoveryMs: asked - waitMs, downloadMs: came - asked, renderMs: lcpMs - came }
}

/** The parts of the time to the first byte, of the page's own requests. */
export const ttfbPhases = (requests: readonly RequestRecord[]): TtfbPhases | null => {
  const documents = requests.filter(({ initiator, type }) => initiator?.kind === 'navigation' && type === 'document')
  const last = documents.at(-1)
  if (last === undefined) return null
  return {
    redirectMs: documents.length > 1 ? last.startMs : 0,
    connectMs: last.connectMs,
    tlsMs: last.tlsMs,
    serverMs: last.waitMs,
  }
}
