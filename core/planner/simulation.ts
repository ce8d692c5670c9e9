/** Pages of a site, each with an index. */
export interface SimulatedPages {
  /** What the origin takes for each, seconds. */
  readonly waitS: Float64Array
  /** What each takes in the store. */
  readonly bytes: Float64Array
  /** Visits a second, as a warm-up knows them. */
  readonly rates: Float64Array
  /** How many visits each visit of the trace stands for; left out: one. */
  readonly weights?: Float64Array
}

/** When pages change. @property pages those that one change makes old, the changed one first */
export interface SimulatedChange {
  readonly atS: number
  readonly pages: readonly number[]
}

export interface SimulatedWarmUp {
  /** Requests a minute that it settles at. */
  readonly perMinute: number
  readonly beforeExpiry: boolean
  readonly afterChanges: boolean
  /** A round over all pages every so many hours; 0: none. */
  readonly everyH: number
  /** Whether it may run, by hour of the week. */
  readonly mayRun: (hourOfWeek: number) => boolean
}

export interface SimulatedRules {
  /** Of each page, seconds. */
  readonly lifetimeS: Float64Array
  readonly staleWhileRevalidateS: number
  /** How changes reach the store; 'untold': not at all. */
  readonly changes: 'hard' | 'soft' | 'untold'
  /** Bytes that may be stored; null: all of it fits. */
  readonly storeBytes: number | null
  readonly warmUp: SimulatedWarmUp | null
}

/** What was counted, from the moment on from which counting is asked for. */
export interface SimulatedFigures {
  readonly seconds: number
  readonly visits: number
  /** Visits that waited for the origin. */
  readonly cold: number
  /** Visits that saw a page from before its last change. */
  readonly outdated: number
  /** Requests to the origin because of visitors. */
  readonly visitorRequests: number
  readonly warmUpRequests: number
  /** Requests to the origin in its busiest minute. */
  readonly busiestMinute: number
  /** How old a page was when it was seen, seconds. */
  readonly medianAgeS: number
  readonly age99S: number
  /** Bytes stored at the end. */
  readonly storedBytes: number
}
