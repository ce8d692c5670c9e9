import { fork } from 'node:child_process'
import { join } from 'node:path'
import type { Benchmark } from './results/result.ts'

/** Longest time for which a purge by pattern over 200,000 entries keeps visitors' requests waiting. */
export const purgeSlices: Benchmark = {
  names: ['purge-200k-longest-slice-ms'],
  run: async () => {
    const child = fork(join(import.meta.dirname, 'purge-process.mjs'), [], { execArgv: ['--max-old-space-size=2048'] })
    const longestMs = await new Promise<number>((resolve, reject) => {
      child.once('message', (told) => resolve((told as { longestMs: number }).longestMs))
      child.once('error', reject)
      child.once('exit', (code) => reject(new Error(`The process ended with ${code}.`)))
    })
    child.kill()
    return [{ name: 'purge-200k-longest-slice-ms', value: longestMs, unit: 'ms', aim: 10, better: 'lower' }]
  },
}
