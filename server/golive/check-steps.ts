import { eq } from 'drizzle-orm'
import type { DnsTarget } from '../../core/contracts/going-live.ts'
import type { GoingLiveStep } from '../../core/contracts/going-live-steps.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { certificateStep, dnsStep, proofStep, readyStep, wayBackStep, type Proof } from '../../core/golive/steps.ts'
import type { RemoteCheckOrder, RemoteCheckResult } from '../../core/contracts/remote-checks.ts'
import type { EdgeInfo } from '../../core/contracts/edges.ts'
import { backDoorStep, type Door, type DoorAnswer } from '../../core/golive/back-door.ts'
import { searchListing } from '../../core/sampling/search-listing.ts'
import type { HasDelivery } from '../../delivery/control/client.ts'
import type { HasDatabase } from '../db/database.ts'
import { automaticCertificates } from '../db/going-live-schema.ts'
import type { HasEdges } from '../edges/edge-fleet.ts'
import { edgesOfSite } from '../edges/own-edges.ts'
import { AppError } from '../errors/app-errors.ts'
import type { HasClock } from '../live/clock.ts'
import type { HasAddresses } from '../net/addresses.ts'
import { askedSiteOf, askSite } from '../net/asked-site.ts'
import { askOutside, OutsideFailure, type OutsideAnswer } from '../net/outside-request.ts'
import { refuseUnchecked } from '../release/privacy-gate.ts'
import { getTrial, liveSetup } from '../release/setups.ts'
import { getSite } from '../sites/sites.ts'
import type { HasAuthority } from './certificate-job.ts'
import { goingLiveRow, keepGoingLive } from './going-live.ts'
import { dnsAnswers, type HasDns } from './dns-plans.ts'
import { proveAddress, type ProofOrder } from './prove-address.ts'

export type CheckNeeds = HasDatabase & HasDns & HasDelivery & HasEdges & HasClock & HasAddresses & HasAuthority

const ready = async (services: CheckNeeds, site: Site): Promise<GoingLiveStep> => {
  const { setup } = await liveSetup(services.db, site.id)
  const { changes } = await getTrial(services, site.id)
  const privacyNeeded = await refuseUnchecked(services.db, site.id, setup).then(
    () => undefined,
    (error: unknown) => {
      if (error instanceof AppError) return error.message
      throw error
    },
  )
  const bare = site.liveHost.replace(/^www\./, '')
  return readyStep({
    undecided: changes.map(({ sentence }) => sentence),
    pageCache: setup.remedies.pageCache.enabled ? 'on' : 'off',
    privacyNeeded,
    accelerator: site.check.findings.find(({ code }) => code === 'accelerator')?.sentence,
    originHost: new URL(site.address).hostname,
    changingNames: [bare, `www.${bare}`],
  })
}

const certificate = async ({ db, now }: CheckNeeds, site: Site): Promise<GoingLiveStep> => {
  const [automatic] = await db
    .select({ problem: automaticCertificates.problem })
    .from(automaticCertificates)
    .where(eq(automaticCertificates.siteId, site.id))
  return certificateStep(site.liveHost, site.certificate, automatic?.problem === null, now().getTime())
}

/** Home once more, as visitors of another place see it: the first edge that can ask for us. @param goesOn after each */
const fromElsewhere = async (
  { edges: fleet }: HasEdges,
  edges: readonly EdgeInfo[],
  home: readonly ProofOrder[],
  goesOn: () => Promise<void>,
): Promise<Proof[]> => {
  const [asker] = edges.filter(({ id }) => fleet.known(id)?.report?.can.includes('check') === true)
  if (asker === undefined) return []
  const all: Proof[] = []
  for (const order of home) {
    let resolved: readonly string[] = []
    const check = async (wanted: RemoteCheckOrder): Promise<RemoteCheckResult | undefined> => {
      const came = await fleet.check(asker.id, wanted)
      resolved = came?.resolved ?? resolved
      return came?.result
    }
    const proof = await proveAddress({ ...order, name: `${order.name}, seen from ${asker.name}`, check })
    all.push({ ...proof, resolvesTo: resolved })
    await goesOn()
  }
  return all
}

/** Addresses that visitors reach: where the DNS is to lead, and the edges. @param goesOn after each */
const proofs = async (
  services: CheckNeeds,
  site: Site,
  target: DnsTarget | null,
  goesOn: () => Promise<void>,
): Promise<Proof[]> => {
  const { delivery, authority } = services
  const { port } = new URL(site.liveSecureUrl)
  const shared = {
    host: site.liveHost,
    privateAddresses: site.hosts.privateAddresses,
    trusted: authority.trusted,
    purge: () => delivery.purge({ siteId: site.id, what: { kind: 'paths', paths: ['/'] }, manner: 'hard' }),
  }
  const home = (target?.addresses ?? []).map((address) => ({
    ...{ ...shared, name: 'Zest Lamp', address, port: Number(port || 443) },
  }))
  const edges = await edgesOfSite(services, site.id)
  const atEdges = edges.flatMap(({ name, address, securePort }) =>
    address === null ? [] : [{ ...shared, name, address, port: securePort }],
  )
  const all: Proof[] = []
  // One after the other: each purges.
  for (const order of [...home, ...atEdges]) {
    all.push(await proveAddress(order))
    await goesOn()
  }
  return [...all, ...(await fromElsewhere(services, edges, home, goesOn))]
}

/** An error of the server refuses nobody in particular. */
const doorAnswer = (answer: OutsideAnswer | undefined): DoorAnswer =>
  answer === undefined || answer.status >= 500
    ? { kind: 'silent' }
    : answer.status >= 400
      ? { kind: 'refused', status: answer.status }
      : { kind: 'answered' }

const silentIfNot = (error: unknown): undefined => {
  if (error instanceof OutsideFailure) return undefined
  throw error
}

/** Whether search engines may list what an origin answers under a second address. */
const isSecondAddress = (answer: OutsideAnswer, { address, liveHost }: Site): boolean => {
  const { indexed, canonical } = searchListing(answer.body.toString('utf8'))
  const keepsOut = indexed === 'no' || /\bnoindex\b/i.test(answer.fields.get('x-robots-tag') ?? '')
  const leadsToLive =
    canonical !== undefined && URL.canParse(canonical, address) && new URL(canonical, address).hostname === liveHost
  return !keepsOut && !leadsToLive
}

/** How the origin answers anybody, and how it answers Zest Lamp. */
export const lookAtDoor = async (site: Site): Promise<Door> => {
  const answer = await askOutside(site.address, { reach: site.hosts.privateAddresses }).catch(silentIfNot)
  const known =
    site.originKey === null ? undefined : doorAnswer(await askSite(askedSiteOf(site), '/').catch(silentIfNot))
  const asAnybody = doorAnswer(answer)
  return {
    address: site.address,
    asAnybody,
    withKey: known,
    twoAddresses: answer !== undefined && asAnybody.kind === 'answered' && isSecondAddress(answer, site),
  }
}

/** Parts of a check, in order, as they are shown while it goes on. */
export const CHECK_PARTS = ['Trial', 'Certificate', 'DNS', 'Proof from outside', 'Back door'] as const
export type CheckPart = (typeof CHECK_PARTS)[number]

/**
 * Look at every step again, and keep what was found once all is known.
 * @param begins told before each part; whatever it throws ends the check, and nothing is kept
 * @throws AppError when there is no such site
 */
export const checkSteps = async (
  services: CheckNeeds,
  siteId: string,
  begins: (part: CheckPart) => Promise<void>,
): Promise<void> => {
  const site = await getSite(services, siteId)
  const { target, before, closedByHand } = await goingLiveRow(services, siteId)
  const dns = async () =>
    target === null
      ? []
      : dnsAnswers(services, siteId, target).catch((error: unknown) => {
          if (error instanceof AppError) return error.message
          throw error
        })
  await begins('Trial')
  const steps = [await ready(services, site)]
  await begins('Certificate')
  steps.push(await certificate(services, site))
  await begins('DNS')
  steps.push(dnsStep(target, await dns()))
  await begins('Proof from outside')
  steps.push(proofStep(await proofs(services, site, target, () => begins('Proof from outside'))))
  await begins('Back door')
  steps.push(backDoorStep(closedByHand, await lookAtDoor(site)), wayBackStep(before))
  // Cancelled until now, it keeps nothing.
  await begins('Back door')
  await keepGoingLive(services, siteId, { steps, checkedAt: services.now() })
}
