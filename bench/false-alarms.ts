import type { Job } from '../core/contracts/jobs.ts'
import type { SafetyCheck } from '../core/contracts/safety.ts'
import { Stack } from '../e2e/stack.ts'
import type { Benchmark } from './results/result.ts'

const PORT = 19_900
const TIMES = Number(process.env['ZEST_FALSE_ALARM_TIMES'] ?? 20)

/** Live against live on every kind of page of the ferry site: how many of the checks say "broken". */
export const falseAlarms: Benchmark = {
  names: ['safety-false-alarms'],
  run: async () => {
    const stack = await Stack.start(PORT)
    try {
      const site = await stack.site()
      const told = new Map<string, number>()
      let broken = 0
      for (let time = 0; time < TIMES; time++) {
        const check = await stack.api<SafetyCheck>('POST', `/sites/${site.id}/safety-checks`, {
          from: 'live',
          to: 'live',
          pageIds: site.sample.map(({ id }) => id),
          visitorIds: ['phone'],
        })
        while ((await stack.api<Job>('GET', `/jobs/${check.jobId}`)).state !== 'done')
          await new Promise((resolve) => setTimeout(resolve, 500))
        const { pages } = await stack.api<SafetyCheck>('GET', `/sites/${site.id}/safety-checks/${check.id}`)
        for (const { result, path, sentence } of pages) {
          told.set(result, (told.get(result) ?? 0) + 1)
          if (result !== 'intact') console.log(`${path}: ${sentence}`)
          if (result === 'broken') broken++
        }
        console.log(
          `check ${time + 1} of ${TIMES}: ${[...told].map(([result, count]) => `${count} ${result}`).join(', ')}`,
        )
      }
      return [{ name: 'safety-false-alarms', value: broken, unit: 'pages', aim: 0, better: 'lower' }]
    } finally {
      await stack.stop()
    }
  },
}
