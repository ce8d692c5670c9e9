import type { Journey, Side, VisitorProfile } from '../../core/contracts/measuring.ts'
import type {
  SnapshotOrder,
  SnapshotOutcome,
  PageSafety,
  SafetyPictures,
  PageSnapshot,
} from '../../core/contracts/safety.ts'
import type { SamplePage, Site } from '../../core/contracts/sites.ts'
import {
  compareSnapshots,
  resultOfFindings,
  safetySentence,
  type Comparison,
} from '../../core/safety/compare-snapshots.ts'
import { learnMore, learnVarying, quickSight, type Varying } from '../../core/safety/varying-elements.ts'
import { newId } from '../accounts/secrets.ts'
import type { LabClient } from '../jobs/lab-client.ts'
import { accessTo } from '../measuring/run-order.ts'
import type { Addresses } from '../net/addresses.ts'

const PAGE_TIMEOUT_MS = 45_000
/** Sliders and clocks move every few seconds; what moves less often looks steady. */
const WATCH_MS = 7500

/** Below this a page takes long to be there, and nothing more is seen. kbit/s */
const LEAST_KBPS = 20_000

/**
 * Only what is seen matters, not how soon. The distance stays: over it files come one after the other, and what depends on their order shows; with everything
 * at hand at once it would not.
 */
const unhurried = (visitor: VisitorProfile): VisitorProfile => ({
  ...visitor,
  cpuSlowdown: 1,
  downKbps: Math.max(visitor.downKbps, LEAST_KBPS),
  upKbps: Math.max(visitor.upKbps, LEAST_KBPS),
  lossPercent: 0,
})

/** What is known of how a page looks on the side that trial is compared with. */
interface Known {
  readonly sight: PageSnapshot
  readonly varying: Varying
}

export interface Examined {
  readonly safety: PageSafety
  readonly pictures: SafetyPictures | undefined
}

/** One page on two sides. */
export interface ExamineOrder {
  readonly from: Side
  readonly to: Side
  readonly page: SamplePage
  readonly visitor: VisitorProfile
  readonly journeys: readonly Journey[]
  /** Whether frames are replaced by intent, as videos are by their still pictures. */
  readonly replaced: 'frames' | 'nothing'
  readonly signal: AbortSignal
}

/** The page cannot be looked at where it must work. */
export class NotSeen extends Error {}

const seen = (outcome: SnapshotOutcome): PageSnapshot => {
  if (outcome.kind === 'failed') throw new NotSeen(outcome.why)
  return outcome.sight
}

/** Looks at pages on two sides and says what is another. What it has learned of a page it keeps, for further looks. */
export class Examiner {
  readonly #lab: LabClient
  readonly #site: Site
  readonly #addresses: Pick<Addresses, 'deliveryPort'>
  readonly #known = new Map<string, Known>()
  /** Page loads so far. */
  looks = 0

  constructor(lab: LabClient, site: Site, addresses: Pick<Addresses, 'deliveryPort'>) {
    this.#lab = lab
    this.#site = site
    this.#addresses = addresses
  }

  async #look(
    side: Side,
    page: SamplePage,
    visitor: VisitorProfile,
    journeys: readonly Journey[],
    watch: SnapshotOrder['watch'],
    signal: AbortSignal,
    depth: SnapshotOrder['depth'] = 'whole',
  ): Promise<SnapshotOutcome> {
    const { origin, ...access } = accessTo(this.#site, side, this.#addresses)
    this.looks++
    return this.#lab.look(
      {
        kind: 'look',
        id: newId(),
        url: origin + page.path,
        visitor: unhurried(visitor),
        ...access,
        signIn: this.#site.journeys.find(({ id }) => id === visitor.journeyId) ?? null,
        journeys: [...journeys],
        watch,
        depth,
        timeoutMs: PAGE_TIMEOUT_MS,
      },
      signal,
    )
  }

  /** Two looks at the side to compare with; the second is long. @throws NotSeen */
  async learn(
    from: Side,
    page: SamplePage,
    visitor: VisitorProfile,
    journeys: readonly Journey[],
    signal: AbortSignal,
  ): Promise<Known> {
    const key = `${from} ${page.id} ${visitor.id}`
    const before = this.#known.get(key)
    if (before !== undefined) return before
    const sight = seen(await this.#look(from, page, visitor, journeys, { ms: 0, until: [] }, signal))
    const again = seen(await this.#look(from, page, visitor, [], { ms: WATCH_MS, until: [] }, signal))
    const known = { sight, varying: learnVarying(sight, again) }
    this.#known.set(key, known)
    return known
  }

  /** One look at the other side. @param depth quick: only what shows without touching the page */
  async compare(
    known: Known,
    { to, page, visitor, journeys, replaced, signal }: ExamineOrder,
    depth: SnapshotOrder['depth'] = 'whole',
  ): Promise<Comparison & { sight: PageSnapshot | undefined }> {
    const quick = depth === 'quick'
    const varying = quick ? { ...known.varying, moving: new Set<string>() } : known.varying
    const until = [...varying.moving]
    const watch = { ms: until.length === 0 ? 0 : WATCH_MS, until }
    const outcome = await this.#look(to, page, visitor, journeys, watch, signal, depth)
    if (outcome.kind === 'failed')
      return {
        findings: [{ kind: 'unreachable', severity: 'broken', sentence: outcome.why, items: [], count: 1, boxes: [] }],
        masks: [],
        differing: [],
        sight: undefined,
      }
    const frames = known.sight.elements.filter(({ what }) => what === 'frame').map(({ key }) => key)
    const intended = new Set(replaced === 'frames' ? frames : [])
    const before = quick ? quickSight(known.sight) : known.sight
    return { ...compareSnapshots(before, varying, outcome.sight, intended), sight: outcome.sight }
  }

  /**
   * Compare one page on two sides. What seems broken is looked at once more, and so is live: a fault that does not show again, or that live
   * shows too, is none.
   */
  async examine(order: ExamineOrder): Promise<Examined> {
    const { from, page, visitor, journeys, signal } = order
    const about = { pageId: page.id, path: page.path, visitorId: visitor.id, visitorName: visitor.name }
    let known: Known
    try {
      known = await this.learn(from, page, visitor, journeys, signal)
    } catch (error) {
      if (!(error instanceof NotSeen)) throw error
      const sentence = `No result: the page cannot be loaded ${from === 'live' ? 'live' : 'there'} either. ${error.message}`
      return {
        safety: { ...about, result: 'unreachable', sentence, findings: [], varies: [], masks: [], differing: [] },
        pictures: undefined,
      }
    }
    let compared = await this.compare(known, order)
    const seemsBroken = compared.findings.some(({ severity }) => severity === 'broken')
    if (seemsBroken) {
      const looked = await this.#look(from, page, visitor, [], { ms: 0, until: [] }, signal)
      const again = looked.kind === 'seen' ? looked.sight : undefined
      if (again !== undefined) known = { ...known, varying: learnMore(known.varying, known.sight, again) }
      this.#known.set(`${from} ${page.id} ${visitor.id}`, known)
      compared = await this.compare(known, order)
    }
    const unreachable = compared.findings.some(({ kind }) => kind === 'unreachable')
    const result = unreachable ? 'broken' : resultOfFindings(compared.findings, known.varying)
    return {
      safety: {
        ...about,
        result,
        sentence: safetySentence(result, compared.findings),
        findings: compared.findings,
        varies: [...known.varying.elements].slice(0, 30),
        masks: compared.masks.slice(0, 300),
        differing: compared.differing.slice(0, 300),
      },
      pictures: { before: known.sight.picture, after: compared.sight?.picture ?? '' },
    }
  }
}
