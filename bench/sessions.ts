import { Setup } from '../core/contracts/setup.ts'
import { LiveVisitor } from '../e2e/live-visitor.ts'
import { ContentSystem } from '../standins/systems/content-system.ts'
import { CHANDLERY } from '../standins/systems/habits.ts'
import { configFor, HOST, startDelivery } from './delivery-process.ts'
import type { Benchmark } from './results/result.ts'

const PORT = 19_920
const VISITS = 2000
const PAGES = 90
const ZIPF = 0.8
/** Share of visits by somebody who has been here before. */
const RETURNING = 0.5

/** Numbers from 0 to 1, the same in each run (Park and Miller 1988). */
const randomFrom = (seed: number): (() => number) => {
  let state = seed
  return () => (state = (state * 48_271) % 2_147_483_647) / 2_147_483_647
}

/** Share of signed-out visits that the store answers, at a site that gives everybody a session and forbids storing every page; from an empty store. */
export const sessionsEverywhere: Benchmark = {
  names: ['sessions-everywhere-hit-ratio'],
  run: async () => {
    const system = new ContentSystem(CHANDLERY)
    for (let n = system.posts.length; n < PAGES; n++) system.add(`Boat number ${n}`)
    const origin = await system.open()
    const config = configFor(Number(new URL(origin).port))
    const kinds = [{ name: 'All', paths: ['/*'], sessionCookies: ['portal_session'] }]
    config.sites[0]!.channels[0]!.setup = Setup.parse({ remedies: { pageCache: { enabled: true, kinds } } })
    const delivery = await startDelivery(PORT, config)
    try {
      const paths = system.posts.map(({ category, slug }) => `/${category}/${slug}`)
      const weights = paths.map((_path, rank) => 1 / (rank + 1) ** ZIPF)
      const all = weights.reduce((sum, one) => sum + one, 0)
      const random = randomFrom(7)
      const choose = (): string => {
        let left = random() * all
        return paths.find((_path, rank) => (left -= weights[rank]!) <= 0) ?? paths[0]!
      }
      const known: LiveVisitor[] = []
      let hits = 0
      for (let visit = 0; visit < VISITS; visit++) {
        const returns = known.length > 0 && random() < RETURNING
        const visitor = returns ? known[Math.floor(random() * known.length)]! : new LiveVisitor(PORT + 10, HOST)
        if (!returns) known.push(visitor)
        if (/;\s*(?:hit|collapsed)\b/.test((await visitor.get(choose())).cacheStatus)) hits++
      }
      return [
        { name: 'sessions-everywhere-hit-ratio', value: hits / VISITS, unit: 'ratio', aim: 0.9, better: 'higher' },
      ]
    } finally {
      await delivery.stop()
      system.close()
    }
  },
}
