/** One figure of `npm run bench`. */
export interface BenchResult {
  readonly name: string
  readonly value: number
  readonly unit: string
  readonly aim: number
  readonly better: 'higher' | 'lower'
}

/** A benchmark gives one figure or several that come from the same run. */
export interface Benchmark {
  readonly names: readonly string[]
  readonly run: () => Promise<readonly BenchResult[]>
}
