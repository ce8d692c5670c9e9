import type { Coding } from '../../core/http/negotiation.ts'
import type { Route } from '../request/routes.ts'
import type { ResponseStore, StoredEntry } from '../store/response-store.ts'
import { encode } from '../fetch/content-coding.ts'
import { mayBeCoded } from './header-cache.ts'

/** A coding is kept only when it saves at least a twentieth. */
const WORTH_KEEPING = 0.95

/** Entries whose codings have been made, or found not to gain. */
const coded = new WeakMap<StoredEntry, Set<Coding>>()

/** Whether a coding of an entry has been made, or found not to gain. */
export const wasTried = (entry: StoredEntry, coding: Coding): boolean => coded.get(entry)?.has(coding) === true

/** Make the missing codings of an entry and keep them beside the others; the entry to go on with. */
export const addCodings = async (store: ResponseStore, route: Route, entry: StoredEntry): Promise<StoredEntry> => {
  const tried = coded.get(entry) ?? new Set(entry.bodies.map(({ coding }) => coding))
  coded.set(entry, tried)
  const missing = route.codings.filter((coding) => !tried.has(coding))
  if (missing.length === 0 || !mayBeCoded(route, entry)) return entry
  const identity = await store.body(entry, 'identity')
  if (identity === undefined) return entry
  const bodies = new Map<Coding, Buffer>([['identity', identity]])
  for (const { coding } of entry.bodies.slice(1)) {
    const bytes = await store.body(entry, coding)
    if (bytes !== undefined) bodies.set(coding, bytes)
  }
  for (const coding of missing) {
    tried.add(coding)
    const bytes = await encode(identity, coding)
    if (bytes.length < identity.length * WORTH_KEEPING) bodies.set(coding, bytes)
  }
  // Replaced or purged while it was being coded: the newer state stands.
  if (!store.candidates(entry.key).includes(entry)) return entry
  const { id: _id, bodies: before, ...known } = entry
  const best = before.filter((body) => body.best === true).map(({ coding }) => coding)
  const grown = store.put({ ...known, best }, bodies)
  coded.set(grown, tried)
  return grown
}
