import type { PreloadProposal } from '../../core/contracts/server-rules.ts'
import { proposePreloads, type PageNeeds } from '../../core/server-rules/propose-preloads.ts'
import { auditRuns, requestsOf } from '../audits/audit-runs.ts'
import type { HasDatabase } from '../db/database.ts'
import type { HasAddresses } from '../net/addresses.ts'
import { getSite } from '../sites/sites.ts'

/** Close looks that a proposal rests on. */
const MOST_LOOKS = 12

/** Which files the owner's server could name before a page, by the newest close look at each page of the sample for each visitor. */
export const proposedPreloads = async (
  services: HasDatabase & HasAddresses,
  siteId: string,
): Promise<PreloadProposal> => {
  const { db } = services
  const { sample } = await getSite(services, siteId)
  const newest = new Map<string, Awaited<ReturnType<typeof auditRuns>>[number]>()
  const looks = await auditRuns(db, siteId, ['origin', 'live'])
  // The site's own server first: what delivery sends of a page may need other files.
  const ownFirst = looks.toSorted((a, b) => Number(b.side === 'origin') - Number(a.side === 'origin'))
  for (const run of ownFirst.filter(({ pageId }) => sample.some(({ id }) => id === pageId))) {
    const key = `${run.pageId} ${run.visitorId}`
    if (!newest.has(key)) newest.set(key, run)
  }
  const needs: PageNeeds[] = []
  for (const { id, path, metrics } of [...newest.values()].slice(0, MOST_LOOKS)) {
    const requests = await requestsOf(db, id)
    const page = requests.find(({ type, status }) => type === 'document' && status === 200)
    if (page !== undefined && metrics !== null) needs.push({ path, url: page.url, requests, metrics })
  }
  return proposePreloads(needs)
}
