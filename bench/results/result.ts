/** One figure of `npm run bench`. */
export interface BenchResult {
  readonly name: string
  readonly value: number
  readonly unit: string
  /** null: shown without one. */
  readonly aim: number | null
  readonly better: 'higher' | 'lower'
  /** 95% interval, where there is one. */
  readonly low?: number
  readonly high?: number
  /** Whether the interval is narrow enough to say anything: no wider than a fifth of the figure. */
  readonly settled?: boolean
}

/** A benchmark gives one figure or several that come from the same run. */
export interface Benchmark {
  readonly names: readonly string[]
  readonly run: () => Promise<readonly BenchResult[]>
}
