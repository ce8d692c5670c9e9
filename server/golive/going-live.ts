import { eq } from 'drizzle-orm'
import type { DnsPlan, DnsTarget } from '../../core/contracts/going-live.ts'
import type { GoingLive, GoingLiveStep } from '../../core/contracts/going-live-steps.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { certificateStep, dnsStep, proofStep, readyStep, wayBackStep, type Proof } from '../../core/golive/steps.ts'
import type { LookOrder, Sight } from '../../core/contracts/edge-looks.ts'
import type { EdgeInfo } from '../../core/contracts/edges.ts'
import { backDoorStep, type Door, type DoorAnswer } from '../../core/golive/back-door.ts'
import { searchListing } from '../../core/sampling/search-listing.ts'
import type { HasDelivery } from '../../delivery/control/client.ts'
import type { HasDatabase } from '../db/database.ts'
import { automaticCertificates, goingLive } from '../db/going-live-schema.ts'
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
import { dnsAnswers, type HasDns } from './dns-plans.ts'
import { proveAddress, type ProofOrder } from './prove-address.ts'

type Needs = HasDatabase & HasDns & HasDelivery & HasEdges & HasClock & HasAddresses & HasAuthority
type Row = typeof goingLive.$inferSelect

const NOT_BEGUN = { target: null, before: null, closedByHand: false, checkedAt: null, steps: [] }

const rowOf = async ({ db }: HasDatabase, siteId: string): Promise<Omit<Row, 'siteId'>> => {
  const [row] = await db.select().from(goingLive).where(eq(goingLive.siteId, siteId))
  return row ?? NOT_BEGUN
}

const write = async ({ db }: HasDatabase, siteId: string, change: Partial<Omit<Row, 'siteId'>>): Promise<void> => {
  await db
    .insert(goingLive)
    .values({ siteId, ...change })
    .onConflictDoUpdate({ target: goingLive.siteId, set: change })
}

/** How far a site has come. @throws AppError when there is no such site */
export const goingLiveState = async (services: HasDatabase & HasAddresses, siteId: string): Promise<GoingLive> => {
  await getSite(services, siteId)
  const { target, before, closedByHand, checkedAt, steps } = await rowOf(services, siteId)
  return { target, before, closedByHand, checkedAt: checkedAt?.toISOString() ?? null, steps }
}

/** Keep where the site is to lead, and, the first time, the zone as it is now: the way back. */
export const keepPlan = async (
  services: HasDatabase & HasClock,
  siteId: string,
  { addresses, alias }: DnsTarget,
  { zone, records }: DnsPlan,
): Promise<void> => {
  const { before } = await rowOf(services, siteId)
  await write(services, siteId, {
    target: { addresses, alias },
    ...(before === null ? { before: { zone, records, savedAt: services.now().toISOString() } } : {}),
  })
}

/** Keep what was found of one step; the others stay as they were. */
export const keepStep = async (
  services: HasDatabase & HasClock,
  siteId: string,
  step: GoingLiveStep,
): Promise<void> => {
  const { steps } = await rowOf(services, siteId)
  await write(services, siteId, {
    steps: steps.map((one) => (one.id === step.id ? step : one)),
    checkedAt: services.now(),
  })
}

export const markBackDoor = async (services: HasDatabase, siteId: string, closedByHand: boolean): Promise<void> =>
  write(services, siteId, { closedByHand })

/** Begin again: what was kept of an earlier attempt, the way back included, is forgotten. */
export const forgetGoingLive = async ({ db }: HasDatabase, siteId: string): Promise<void> => {
  await db.delete(goingLive).where(eq(goingLive.siteId, siteId))
}

const ready = async (services: Needs, site: Site): Promise<GoingLiveStep> => {
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

const certificate = async ({ db, now }: Needs, site: Site): Promise<GoingLiveStep> => {
  const [automatic] = await db
    .select({ problem: automaticCertificates.problem })
    .from(automaticCertificates)
    .where(eq(automaticCertificates.siteId, site.id))
  return certificateStep(site.liveHost, site.certificate, automatic?.problem === null, now().getTime())
}

/** Home once more, as visitors of another place see it: the first edge that can look for us. */
const fromElsewhere = async (
  { edges: fleet }: HasEdges,
  edges: readonly EdgeInfo[],
  home: readonly ProofOrder[],
): Promise<Proof[]> => {
  const [looker] = edges.filter(({ id }) => fleet.known(id)?.report?.can.includes('look') === true)
  if (looker === undefined) return []
  const all: Proof[] = []
  for (const order of home) {
    let resolved: readonly string[] = []
    const look = async (wanted: LookOrder): Promise<Sight | undefined> => {
      const seen = await fleet.look(looker.id, wanted)
      resolved = seen?.resolved ?? resolved
      return seen?.sight
    }
    const proof = await proveAddress({ ...order, name: `${order.name}, seen from ${looker.name}`, look })
    all.push({ ...proof, resolvesTo: resolved })
  }
  return all
}

/** Addresses that visitors reach: where the DNS is to lead, and the edges. */
const proofs = async (services: Needs, site: Site, target: DnsTarget | null): Promise<Proof[]> => {
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
  for (const order of [...home, ...atEdges]) all.push(await proveAddress(order))
  return [...all, ...(await fromElsewhere(services, edges, home))]
}

const doorAnswer = (answer: OutsideAnswer | undefined): DoorAnswer =>
  answer === undefined
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

/** Check every step again, and keep what was found. @throws AppError when there is no such site */
export const checkSteps = async (services: Needs, siteId: string): Promise<GoingLive> => {
  const site = await getSite(services, siteId)
  const { target, before, closedByHand } = await rowOf(services, siteId)
  const answers =
    target === null
      ? []
      : await dnsAnswers(services, siteId, target).catch((error: unknown) => {
          if (error instanceof AppError) return error.message
          throw error
        })
  const steps = [
    await ready(services, site),
    await certificate(services, site),
    dnsStep(target, answers),
    proofStep(await proofs(services, site, target)),
    backDoorStep(closedByHand, await lookAtDoor(site)),
    wayBackStep(before),
  ]
  const checkedAt = services.now()
  await write(services, siteId, { steps, checkedAt })
  return { target, before, closedByHand, checkedAt: checkedAt.toISOString(), steps }
}
