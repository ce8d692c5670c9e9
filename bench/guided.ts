import type { GuidedRun } from '../core/contracts/guided.ts'
import type { Job } from '../core/contracts/jobs.ts'
import { Stack } from '../e2e/stack.ts'
import type { Benchmark } from './results/result.ts'
import { upTo } from '../core/http/up-to.ts'

const PORT = 19_800
/** The aims hold for a run that is not cut short. */
const MINUTES = 180

/** A guided run of every reach on the ferry site's home page as the phone visitor: origin over trial at the end, and trial over the floor. */
export const guidedBench: Benchmark = {
  names: ['guided-lcp-gain', 'guided-lcp-vs-floor'],
  run: async () => {
    const stack = await Stack.start(PORT)
    try {
      const site = await stack.site()
      const { id, jobId } = await stack.api<GuidedRun>('POST', `/sites/${site.id}/guided-runs`, {
        reach: 'page',
        visitorIds: ['phone'],
        pageIds: [site.sample[0]!.id],
        minutes: MINUTES,
      })
      for (let told = ''; ;) {
        const job = await stack.api<Job>('GET', `/jobs/${jobId}`)
        if (job.state === 'failed' || job.state === 'cancelled') throw new Error(job.error ?? job.state)
        const step = upTo(job.now, ':')
        if (step !== told) console.log((told = step))
        if (job.state === 'done') break
        await new Promise((resolve) => setTimeout(resolve, 1000))
      }
      const runs = await stack.api<GuidedRun[]>('GET', `/sites/${site.id}/guided-runs`)
      const { steps, final } = runs.find((run) => run.id === id)?.progress ?? { steps: [], final: null }
      for (const { remedies, decision, sentence, tookMs } of steps)
        console.log(`${remedies.join('+')}: ${decision}, ${Math.round(tookMs / 1000)} s. ${sentence}`)
      const [result] = final?.results ?? []
      if (result === undefined || final?.safety !== 'intact')
        throw new Error(`The run did not end intact: ${final?.safety ?? 'nothing was kept'}.`)
      const side = (name: string) => result.sides.find((one) => one.side === name)!.medians
      for (const name of ['origin', 'live', 'trial']) {
        const { lcpMs, requests, sentBytes } = side(name)
        console.log(
          `${name}: LCP ${Math.round(lcpMs!)} ms, ${requests} requests, ${sentBytes} bytes; floor ${Math.round(result.floorMs!)} ms`,
        )
      }
      const [origin, now] = [side('origin').lcpMs!, side('trial').lcpMs!]
      return [
        { name: 'guided-lcp-gain', value: origin / now, unit: 'ratio', aim: 4, better: 'higher' },
        { name: 'guided-lcp-vs-floor', value: now / result.floorMs!, unit: 'ratio', aim: 1.5, better: 'lower' },
      ]
    } finally {
      await stack.stop()
    }
  },
}
