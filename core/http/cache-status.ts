import type { MissReason, NotStoredReason, PassReason } from './reasons.ts'
import type { Seconds } from '../time.ts'

/** How one request was answered: the value that is logged, counted, shown, and written into Cache-Status. */
export type Outcome =
  | { kind: 'hit'; ttl: Seconds }
  | { kind: 'hit-stale'; ttl: Seconds; because: 'stale-while-revalidate' | 'stale-if-error' }
  | { kind: 'validated'; ttl: Seconds }
  | { kind: 'forwarded'; why: MissReason; status: number; storing: Storing }
  /** Waited for an answer that was under way for another visitor, and shared it. */
  | { kind: 'collapsed'; why: MissReason; ttl: Seconds }
  | { kind: 'passed'; why: PassReason; status: number }
  | { kind: 'failed'; why: OriginTrouble }

/** Why the origin gave no usable answer. */
export const ORIGIN_TROUBLES = ['unreachable', 'timeout', 'broken', 'busy', 'private-address'] as const
export type OriginTrouble = (typeof ORIGIN_TROUBLES)[number]

export type Storing = { kind: 'stored'; ttl: Seconds } | { kind: 'not-stored'; reason: NotStoredReason }

/** Where an answer came about: at an edge, or next to the origin. */
export type Hop = 'home' | 'edge'
const NAMES: Record<Hop, string> = { home: 'zest-lamp', edge: 'zest-lamp-edge' }
const whole = (ttl: Seconds): number => Math.floor(ttl)

/** RFC 9211 §2.2: the registered fwd parameter for a request passed on without looking into the store. */
const passFwd = (why: PassReason): string => (why === 'method' ? 'method' : 'bypass')

/**
 * Cache-Status value for an outcome (RFC 9211 §2). `detail` is the reason's code from the closed lists, a token.
 * A hit has no fwd, a forwarded request no hit (§2.1, §2.2).
 */
export const cacheStatus = (outcome: Outcome, hop: Hop = 'home'): string => {
  const name = NAMES[hop]
  switch (outcome.kind) {
    case 'hit':
      return `${name}; hit; ttl=${whole(outcome.ttl)}`
    case 'hit-stale':
      return `${name}; hit; ttl=${whole(outcome.ttl)}; detail=${outcome.because}`
    case 'validated':
      return `${name}; fwd=stale; fwd-status=304; stored; ttl=${whole(outcome.ttl)}`
    case 'collapsed':
      return `${name}; fwd=${outcome.why}; collapsed; ttl=${whole(outcome.ttl)}`
    case 'forwarded': {
      const head = `${name}; fwd=${outcome.why}; fwd-status=${outcome.status}`
      return outcome.storing.kind === 'stored'
        ? `${head}; stored; ttl=${whole(outcome.storing.ttl)}`
        : `${head}; detail=${outcome.storing.reason}`
    }
    case 'passed':
      return `${name}; fwd=${passFwd(outcome.why)}; fwd-status=${outcome.status}; detail=${outcome.why}`
    case 'failed':
      return `${name}; fwd=miss; detail=origin-${outcome.why}`
  }
}

const ANY_HIT = /(?:^|,)\s*zest-lamp(?:-edge)?\s*;\s*hit(?:\s*[;,]|\s*$)/

/** Whether a store of ours gave an answer, next to the origin or at an edge. @param field value of Cache-Status */
export const isFromStore = (field: string): boolean => ANY_HIT.test(field)
