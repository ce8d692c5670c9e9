import { and, eq, inArray } from 'drizzle-orm'
import type { DeliveryConfig, DeliverySite } from '../../core/contracts/delivery-config.ts'
import { emptySetup, Setup } from '../../core/contracts/setup.ts'
import { versionOf } from '../../core/measuring/sides.ts'
import { DeliveryUnavailable, type DeliveryClient } from '../../delivery/control/client.ts'
import type { Database } from '../db/database.ts'
import { knownEdges } from '../edges/own-edges.ts'
import { automaticCertificates } from '../db/going-live-schema.ts'
import { candidates, jobs, measurements, sites, trials, versions } from '../db/schema.ts'
import { changesOf, inForce } from '../sites/changes-told.ts'
import { setupDigest } from './setup-digest.ts'
import { candidateHost, isAskedByDeliveryOnly, originHost, versionHost } from '../sites/channel-hosts.ts'
import { siteKnowledge } from '../audits/page-knowledge.ts'

const ORIGIN_TIMEOUT_MS = 60_000
const RETRY_MS = 1000

/** Versions that a measurement loads which has not ended; each gets a name of its own for that time. */
const measuredVersions = async (db: Database, siteId: string): Promise<number[]> => {
  const open = await db
    .select({ order: measurements.order })
    .from(measurements)
    .innerJoin(jobs, eq(jobs.id, measurements.jobId))
    .where(and(eq(measurements.siteId, siteId), inArray(jobs.state, ['queued', 'running'])))
  const numbers = open.flatMap(({ order }) => order.sides.map(versionOf))
  return [...new Set(numbers.filter((number) => number !== undefined))]
}

/** What the certificate authority asks for. */
const openChallenges = async (db: Database, siteId: string): Promise<DeliverySite['challenges']> => {
  const [row] = await db
    .select({ answers: automaticCertificates.answers })
    .from(automaticCertificates)
    .where(eq(automaticCertificates.siteId, siteId))
  return row?.answers ?? []
}

const siteConfig = async (db: Database, site: typeof sites.$inferSelect): Promise<DeliverySite> => {
  const [trial] = await db.select().from(trials).where(eq(trials.siteId, site.id))
  const published = await db.select().from(versions).where(eq(versions.siteId, site.id))
  const live = published.find(({ number }) => number === site.liveVersion)
  const changes = await changesOf(db, site.id)
  const read = (setup: unknown): Setup => inForce(Setup.parse(setup), changes)
  const liveSetup = read(live?.setup ?? {})
  const [candidate] = await db.select().from(candidates).where(eq(candidates.siteId, site.id))
  const key = site.trialKey
  const withKey = (host: string, setup: Setup, apart: string) => ({
    channel: 'trial' as const,
    hosts: [host],
    setup,
    key,
    apart,
  })
  return {
    siteId: site.id,
    knowledge: await siteKnowledge(db, site.id),
    ...(site.tlsCertificate === null || site.tlsKey === null
      ? {}
      : { tls: { certificate: site.tlsCertificate, key: site.tlsKey } }),
    challenges: await openChallenges(db, site.id),
    origin: {
      base: site.address,
      hostHeader: site.hostHeader,
      ...(site.publicAddress === null ? {} : { publicAddress: site.publicAddress }),
      ...(site.originKey === null ? {} : { key: site.originKey }),
      timeoutMs: ORIGIN_TIMEOUT_MS,
      privateAddresses: site.hosts.privateAddresses,
    },
    channels: [
      { channel: 'live', hosts: [site.liveHost], setup: liveSetup },
      {
        channel: 'trial',
        hosts: [site.trialHost],
        setup: trial === undefined ? liveSetup : read(trial.setup),
        key,
      },
      ...(isAskedByDeliveryOnly(site) ? [withKey(originHost(site.trialHost), emptySetup(), 'origin')] : []),
      ...(await measuredVersions(db, site.id)).flatMap((number) => {
        const version = published.find((one) => one.number === number)
        if (version === undefined) return []
        const host = versionHost(site.trialHost, number)
        return [withKey(host, read(version.setup), `version-${number}`)]
      }),
      ...(candidate === undefined
        ? []
        : [withKey(candidateHost(site.trialHost), read(candidate.setup), setupDigest(Setup.parse(candidate.setup)))]),
    ],
  }
}

/** Keeps delivery on the setups that the database holds. */
export class Publisher {
  readonly #db: Database
  readonly #delivery: DeliveryClient
  readonly #log: (sentence: string) => void
  #retry: NodeJS.Timeout | undefined
  #closed = false

  constructor(db: Database, delivery: DeliveryClient, log: (sentence: string) => void) {
    this.#db = db
    this.#delivery = delivery
    this.#log = log
  }

  async #config(): Promise<DeliveryConfig> {
    const all = await this.#db.select().from(sites).orderBy(sites.createdAt)
    return {
      revision: Date.now(),
      sites: await Promise.all(all.map((site) => siteConfig(this.#db, site))),
      edges: await knownEdges(this.#db),
    }
  }

  /** Resolves once delivery runs on what the database holds. @throws DeliveryUnavailable, and goes on trying behind */
  async publish(): Promise<void> {
    clearTimeout(this.#retry)
    try {
      await this.#delivery.configure(await this.#config())
    } catch (error) {
      this.#tryLater(error as Error)
      throw error
    }
  }

  /** The same for when nobody waits for the result: at start, or when delivery comes back. */
  publishBehind(): void {
    void this.publish().catch(() => undefined)
  }

  #tryLater(error: Error): void {
    if (!(error instanceof DeliveryUnavailable)) this.#log(`The setups could not be sent to delivery: ${error.message}`)
    if (!this.#closed) this.#retry = setTimeout(() => this.publishBehind(), RETRY_MS)
  }

  close(): void {
    this.#closed = true
    clearTimeout(this.#retry)
  }
}
