import { asciiTarget } from '../../core/http/ascii-target.ts'
import type { CacheKey } from '../../core/cache/cache-key.ts'
import { pathPatterns } from '../../core/http/patterns.ts'
import { isHtml, isJson } from '../../core/http/freshness.ts'
import { cacheGroups } from '../../core/http/groups.ts'
import type { PurgeOrder, PurgeWhat } from '../../core/contracts/delivery.ts'
import type { EpochMs } from '../../core/time.ts'
import { targetOfKey } from '../cache-keys/partitions.ts'
import type { FetchIo } from '../fetch/fetch-context.ts'
import type { StoredEntry } from '../store/response-store.ts'

/** Whether an address is meant. A path without query means its query variants too: a list that changed has changed on its second page. */
const addressMatcher = (what: Exclude<PurgeWhat, { kind: 'groups' | 'dependants' }>): ((target: string) => boolean) => {
  switch (what.kind) {
    case 'everything':
      return () => true
    case 'paths': {
      const named = new Set(what.paths.map((path) => asciiTarget(path, 'utf8')))
      return (target) => named.has(target) || named.has(pathOf(target))
    }
    case 'prefix': {
      const prefix = asciiTarget(what.prefix, 'utf8')
      return (target) => target.startsWith(prefix)
    }
    case 'pattern': {
      const matches = pathPatterns([asciiTarget(what.pattern, 'utf8')])
      return (target) => matches(pathOf(target))
    }
  }
}

const pathOf = (target: string): string => {
  const mark = target.indexOf('?')
  return mark === -1 ? target : target.slice(0, mark)
}

/** What says by itself which addresses it means. */
type PlainWhat = Exclude<PurgeWhat, { kind: 'dependants' }>
/** An order that says by itself which addresses it means. */
export type PlainPurge = Omit<PurgeOrder, 'what'> & { readonly what: PlainWhat }

interface PurgeMatcher {
  readonly stored: (entry: StoredEntry) => boolean
  /** Which answers under way could be meant; of their groups nothing is known yet. */
  readonly underWay: (key: CacheKey) => boolean
}

/** What an order means, on live and trial alike, shared and private. */
export const purgeMatcher = ({
  siteId,
  what,
  channel,
}: Pick<PlainPurge, 'siteId' | 'what' | 'channel'>): PurgeMatcher => {
  const beginning = `${siteId}/${channel ?? ''}`
  // A key begins with its partition.
  const ofSite = (key: CacheKey): boolean => key.startsWith(beginning)
  if (what.kind === 'groups') {
    const named = new Set(what.groups)
    return {
      stored: ({ key, fields }) => ofSite(key) && cacheGroups(fields).some((group) => named.has(group)),
      underWay: ofSite,
    }
  }
  const matches = addressMatcher(what)
  const fits = (key: CacheKey): boolean => ofSite(key) && matches(targetOfKey(key))
  return { stored: ({ key }) => fits(key), underWay: fits }
}

/** Marks stale, and perhaps to be fetched whole; what is stale already stays stale since then: its allowance must not begin again with every purge. */
const staleFrom =
  (now: EpochMs, wholly: boolean) =>
  (entry: StoredEntry): StoredEntry => ({
    ...entry,
    ...(wholly ? { asItCame: true as const } : {}),
    staleSince: entry.staleSince !== undefined && entry.staleSince <= now ? entry.staleSince : now,
  })

const remove = (): undefined => undefined

/** Pages and data, whose own bytes remedies change. */
const isMadeHere = ({ fields }: StoredEntry): boolean => isHtml(fields) || isJson(fields)

/** What a purge that another process has carried out means here: the shared store is emptied already, what only this process has is not. */
export const purgeElsewhere = async (
  order: PurgeOrder,
  io: Pick<FetchIo, 'ownCopies' | 'inFlight' | 'rewriter'>,
): Promise<void> => {
  // What it comes to is announced by itself.
  if (!isPlain(order)) return
  const { stored, underWay } = purgeMatcher(order)
  io.rewriter.forget(order.siteId)
  io.inFlight.markPurged(underWay)
  await io.ownCopies.sweep({ matches: stored, change: remove })
}

const isPlain = (order: PurgeOrder): order is PlainPurge => order.what.kind !== 'dependants'

type Purging = Pick<FetchIo, 'store' | 'ownCopies' | 'inFlight' | 'rewriter' | 'now' | 'links' | 'announce'>
type Refresh = (stale: readonly StoredEntry[]) => void

/**
 * Purge the pages that follow a change. Those that link to what has changed may show it; lists in which something has moved are only marked stale, since
 * there are many, and left to their next visitors.
 */
const purgeDependants = async (
  order: PurgeOrder,
  of: readonly string[],
  io: Purging,
  refresh: Refresh,
): Promise<number> => {
  const { linking, shifted } = await io.links.dependants(order.siteId, of)
  const paths = (found: string[], manner: PurgeOrder['manner'], then: Refresh): Promise<number> =>
    found.length === 0
      ? Promise.resolve(0)
      : purge({ ...order, what: { kind: 'paths', paths: found }, manner }, io, then)
  return (await paths(linking, order.manner, refresh)) + (await paths(shifted, 'soft', () => undefined))
}

/**
 * Carry out a purge. From the first moment on nobody is given what it means; answers under way for the same addresses will not be stored. Private
 * copies are removed whatever the manner: nobody is given a stale basket.
 * @param refresh told of what was marked stale, to be fetched again
 * @returns stored responses concerned, once all have been changed or removed
 */
export const purge = async (order: PurgeOrder, io: Purging, refresh: Refresh = () => undefined): Promise<number> => {
  if (order.what.kind === 'dependants') return purgeDependants(order, order.what.of, io, refresh)
  if (!isPlain(order)) return 0
  const { stored, underWay } = purgeMatcher(order)
  // Files are stored as the origin has them, whatever is made of them elsewhere.
  const shared = order.wholly === true ? (entry: StoredEntry) => stored(entry) && isMadeHere(entry) : stored
  io.inFlight.markPurged(underWay)
  io.rewriter.forget(order.siteId)
  io.store.announcePurge(order)
  const makeStale = staleFrom(io.now(), order.wholly === true)
  const stale: StoredEntry[] = []
  const change = (entry: StoredEntry): StoredEntry => {
    const changed = makeStale(entry)
    stale.push(changed)
    return changed
  }
  const counts = await Promise.all([
    io.ownCopies.sweep({ matches: stored, change: remove }),
    io.store.sweep({ siteId: order.siteId, matches: shared, change: order.manner === 'hard' ? remove : change }),
  ])
  // Whoever asks here now gets what holds: edges may let go of theirs.
  io.announce?.(order)
  refresh(stale)
  return counts[0] + counts[1]
}
