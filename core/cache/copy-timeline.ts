/** What becomes of one stored page while nobody changes it. */
export interface TimelineRules {
  readonly lifetimeS: number
  readonly staleWhileRevalidateS: number
  readonly staleIfErrorS: number
  /** How long before its end a copy is fetched again; null: not before. */
  readonly refreshBeforeS: number | null
  /** How often a round comes by; null: none on a schedule. */
  readonly roundEveryS: number | null
}

/** A stretch in the life of a copy. @property fromS seconds after it was fetched */
export interface TimelineStretch {
  readonly kind: 'fresh' | 'stale' | 'stale-on-error' | 'gone'
  readonly fromS: number
  readonly toS: number
}

export interface TimelineEvent {
  readonly kind: 'refresh' | 'round' | 'expiry' | 'unusable'
  readonly atS: number
}

export interface CopyTimeline {
  readonly stretches: readonly TimelineStretch[]
  readonly events: readonly TimelineEvent[]
  /** Oldest that a visitor of a warmed page sees it, seconds. */
  readonly oldestSeenS: number
  /** Whether some visitor has to wait for the origin between two rounds. */
  readonly cold: 'never' | 'after-expiry'
  readonly untilS: number
}

/** Where the picture ends: a little after the last thing that happens. */
const BEYOND = 1.15

/** How lifetime, stale rules and warm-up play together for one page that is asked for at all times (RFC 9111 §4.2, RFC 5861). */
export const copyTimeline = (rules: TimelineRules): CopyTimeline => {
  const { lifetimeS, staleWhileRevalidateS, staleIfErrorS, refreshBeforeS, roundEveryS } = rules
  const staleUntil = lifetimeS + staleWhileRevalidateS
  const errorUntil = Math.max(staleUntil, lifetimeS + staleIfErrorS)
  const refreshAt = refreshBeforeS === null ? null : Math.max(0, lifetimeS - refreshBeforeS)
  const untilS = Math.max(staleUntil * BEYOND, 1)
  const cut = (at: number): number => Math.min(at, untilS)
  const stretches = (
    [
      { kind: 'fresh', fromS: 0, toS: lifetimeS },
      { kind: 'stale', fromS: lifetimeS, toS: staleUntil },
      { kind: 'stale-on-error', fromS: staleUntil, toS: errorUntil },
      { kind: 'gone', fromS: errorUntil, toS: untilS },
    ] as const
  )
    .map((one) => ({ ...one, toS: cut(one.toS) }))
    .filter(({ fromS, toS }) => fromS < toS)
  // A round asks only for what is no longer fresh: the first one behind the end of the lifetime counts.
  const roundAt = roundEveryS === null ? null : Math.ceil(lifetimeS / roundEveryS) * roundEveryS
  const events: TimelineEvent[] = [
    ...(refreshAt === null ? [] : [{ kind: 'refresh' as const, atS: refreshAt }]),
    ...(roundAt === null ? [] : [{ kind: 'round' as const, atS: roundAt }]),
    { kind: 'expiry', atS: lifetimeS },
    { kind: 'unusable', atS: staleUntil },
  ]
  const replacedAt = refreshAt ?? roundAt ?? Infinity
  return {
    stretches,
    events: events.filter(({ atS }) => atS <= untilS).toSorted((a, b) => a.atS - b.atS),
    oldestSeenS: Math.min(replacedAt, staleUntil),
    cold: replacedAt <= staleUntil ? 'never' : 'after-expiry',
    untilS,
  }
}
