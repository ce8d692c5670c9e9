import type { IncomingMessage, ServerResponse } from 'node:http'
import { createHash } from 'node:crypto'
import { cacheKey, keyAddress, keyPartition, sharedTarget, type CacheKey } from '../core/http/cache-key.ts'
import { cacheStatus, type Outcome } from '../core/http/cache-status.ts'
import { deviceClass } from '../core/http/device.ts'
import { fieldValue, type Fields } from '../core/http/fields.ts'
import { wantedForm } from '../core/http/request-fields.ts'
import { acceptedForms } from '../core/page/pictures/widths.ts'
import type { PageLinks } from '../core/watching/page-links.ts'
import type { EpochMs } from '../core/time.ts'
import type { BestCodings } from './answer/best-codings.ts'
import { kindLabel, type Counters } from './counting/counters.ts'
import type { EmptySessions } from './empty-sessions.ts'
import type { Flights } from './flights.ts'
import type { OriginClient } from './origin/origin-client.ts'
import type { Visitor } from './origin/request-fields.ts'
import type { SavedEdits } from './saved-edits.ts'
import type { Rewriter } from './rewriting/rewriter.ts'
import type { PathRule, Route, Routes } from './routing.ts'
import type { VaryMemory } from './vary-memory.ts'
import type { BeforeOpening } from './store/before-opening.ts'
import type { ResponseStore } from './store/response-store.ts'

/** What answering needs from outside. */
export interface DeliveryIo {
  /** Where stored answers are looked for while the store is still being opened, right after a start; undefined once it is open. */
  readonly beforeOpening: BeforeOpening | undefined
  readonly now: () => EpochMs
  /** Monotonic, ms; for durations. */
  readonly elapsed: () => number
  readonly store: ResponseStore
  /** Copies for one visitor each; in memory only, since they are nobody else's business. */
  readonly ownCopies: ResponseStore
  readonly origin: OriginClient
  readonly flights: Flights
  readonly counters: Counters
  readonly varied: VaryMemory
  /** Which stored pages link to which. */
  readonly links: PageLinks
  /** The routes in force; replaced as a whole when a new setup arrives. */
  readonly routes: () => Routes
  /** Name of this process in Via. */
  readonly instance: string
  readonly bestCodings: BestCodings
  readonly rewriter: Rewriter
  /** Told what visitors have sent; undefined while the store is being opened. */
  readonly edits?: Pick<SavedEdits, 'saw'> | undefined
  /** Sessions that hold nothing; undefined while the store is being opened, when they pass. */
  readonly sessions?: Pick<EmptySessions, 'areEmpty' | 'sends' | 'lost' | 'saw' | 'compare'> | undefined
  /** Tell the owner, in a sentence. */
  readonly say: (sentence: string) => void
  /** Take down a fault of ours that a request brought to light. @returns its number in the log, for whoever sent the request */
  readonly report: (error: unknown, about: Readonly<Record<string, unknown>>) => string
  /** The port visitors reach a scheme under; origins write it into absolute addresses. */
  readonly publicPort: (scheme: 'http' | 'https') => number
}

/** Who an answer is for: everyone who asks alike, or one visitor. */
export type Audience = { readonly kind: 'everyone' } | { readonly kind: 'one'; readonly identity: string }

/** A request, read and found to belong to a site. */
export interface SiteRequest {
  readonly route: Route
  readonly visitor: Visitor
  readonly method: string
  /** Path and query. */
  readonly target: string
  readonly path: string
  readonly fields: Fields
}

/** What is asked for, whoever asks: a visitor, or delivery itself to refresh a copy. */
export interface Inquiry extends SiteRequest {
  readonly io: DeliveryIo
  /** How this address is stored and reused, for the audience of this request. */
  readonly rule: PathRule
  readonly audience: Audience
}

/** One request of a visitor and the way to answer it. */
export interface Exchange extends Inquiry {
  readonly req: IncomingMessage
  readonly res: ServerResponse
  readonly startedAt: number
}

/** The store that copies for this audience are kept in: the one place that decides it. */
export const storeOf = ({ io, audience }: Pick<Inquiry, 'io' | 'audience'>): ResponseStore =>
  audience.kind === 'one' ? io.ownCopies : io.store

const OWN = ':own-'
const PHONE = ':phone'
const PHONE_AVIF = `${PHONE}-avif`
const DATA = ':data'

/** The partitions of a channel whose copies everyone shares: for phones, for those that take AVIF, for who wants JSON of an address that may also be a page, and for all the rest. */
export const sharedPartitions = (partition: string): string[] => [
  partition,
  `${partition}${PHONE}`,
  `${partition}${PHONE_AVIF}`,
  `${partition}${DATA}`,
  `${partition}${DATA}${PHONE}`,
]

/** Whether a key is of a copy that is kept for phones. */
export const isForPhones = (key: CacheKey): boolean => keyPartition(key).includes(PHONE)

/** Whether a key is of a copy for who wants JSON. */
export const isForData = (key: CacheKey): boolean => keyPartition(key).includes(DATA)

/** Whether a key is of a copy that holds a picture as AVIF. */
export const isWithPicture = (key: CacheKey): boolean => keyPartition(key).includes(PHONE_AVIF)

/**
 * Whether who asks for a page may get a copy that holds its main picture as AVIF: a phone whose browser says with its wish for a page that it takes
 * AVIF. Some say so only when they ask for pictures, and get copies without.
 */
export const takesMainInPage = ({ route, fields }: Pick<Inquiry, 'route' | 'fields'>): boolean => {
  if (route.mainInPageBytes === 0 || deviceClass(fields) !== 'phone') return false
  const accept = fieldValue(fields, 'accept') ?? ''
  return /\btext\/html\b/i.test(accept) && acceptedForms(accept, ['avif', 'jpeg']).includes('avif')
}

/** Whether a key is of a copy for one visitor. */
export const isOwnCopy = (key: CacheKey): boolean => keyPartition(key).includes(OWN)

/** Path and query of the address that a key was made for. */
export const targetOfKey = (key: CacheKey): string => {
  const address = keyAddress(key)
  return address.slice(address.indexOf('/', address.indexOf('//') + 2))
}

export const pathOfKey = (key: CacheKey): string => targetOfKey(key).split('?', 1)[0]!

/** What stands behind the partition's name in keys of private copies: a digest, since the identity is a secret of the visitor. */
const ownPart = (identity: string): string =>
  `${OWN}${createHash('sha256').update(identity).digest('base64url').slice(0, 22)}`

/** The partition that copies for this audience and device are kept in. */
export const partitionFor = ({
  route,
  audience,
  fields,
  path,
}: Pick<Inquiry, 'route' | 'audience' | 'fields' | 'path'>): string => {
  const own = audience.kind === 'one' ? ownPart(audience.identity) : ''
  const phone = route.byDevice && deviceClass(fields) === 'phone' ? PHONE : ''
  if (wantedForm(fields, path) === 'data') return `${route.partition}${DATA}${phone}${own}`
  const device = takesMainInPage({ route, fields }) ? PHONE_AVIF : phone
  return `${route.partition}${device}${own}`
}

/** What the origin is asked for when the answer may be shared: exactly what is in the key. */
export const sharedTargetOf = ({ route, target }: Pick<Inquiry, 'route' | 'target'>): string =>
  sharedTarget(target, route.ignoredParameter, route.sortParameters)

export const keyOf = (exchange: Inquiry): CacheKey =>
  cacheKey(partitionFor(exchange), exchange.visitor.scheme, exchange.visitor.hostName, sharedTargetOf(exchange))

/** Count and log an exchange once its response has ended, however it ended. */
export const countWhenDone = (
  exchange: Exchange,
  outcome: Outcome,
  bytes: () => number,
  {
    page = false,
    savedMs = 0,
    kind,
  }: { readonly page?: boolean; readonly savedMs?: number; readonly kind?: string } = {},
): void => {
  exchange.res.once('close', () => {
    const { res, io, route, rule, method, target, startedAt } = exchange
    io.counters.count(
      route,
      outcome,
      { bytes: bytes(), page, savedMs, kind: kind ?? kindLabel(rule.kind, page, target) },
      {
        at: io.now(),
        channel: route.channel,
        method,
        target,
        status: res.statusCode,
        cacheStatus: cacheStatus(outcome),
        tookMs: io.elapsed() - startedAt,
      },
    )
  })
}
