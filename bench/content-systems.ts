import { setTimeout } from 'node:timers/promises'
import type { Trial } from '../core/contracts/ledger.ts'
import type { EventTarget, Site } from '../core/contracts/sites.ts'
import { median } from '../core/stats/median.ts'
import { LiveVisitor } from '../e2e/live-visitor.ts'
import { Stack } from '../e2e/stack.ts'
import { ContentSystem } from '../standins/systems/content-system.ts'
import { JOURNAL } from '../standins/systems/habits.ts'
import type { Benchmark } from './results/result.ts'

const PORT = 19_900
const TIMES = 5
/** Each takes up to a minute. */
const WATCHED_TIMES = 3
const POLL_MS = 20
const GIVE_UP_MS = 180_000

/** Seconds until another visitor sees a text. */
const untilSeen = async (site: Site, path: string, text: string, begun: number): Promise<number> => {
  while (performance.now() - begun < GIVE_UP_MS) {
    if ((await new LiveVisitor(PORT + 10, site.liveHost).get(path)).text.includes(text))
      return (performance.now() - begun) / 1000
    await setTimeout(POLL_MS)
  }
  throw new Error(`${text} was not seen at ${path}.`)
}

/** How long until others see an edit: told by an event, saved by an editor through live, or found by watching only. */
export const editSeen: Benchmark = {
  names: ['edit-seen-event-s', 'edit-seen-editor-s', 'edit-seen-watching-s'],
  run: async () => {
    const stack = await Stack.start(PORT)
    const system = new ContentSystem(JOURNAL)
    try {
      const site = await stack.api<Site>('POST', '/sites', {
        address: await system.open(),
        name: JOURNAL.title,
        liveHost: 'journal.localhost',
        trialHost: 'trial.journal.localhost',
        privateAddresses: 'allowed',
      })
      const at = (path: string): string => `/sites/${site.id}${path}`
      const { setup, revision } = await stack.api<Trial>('GET', at('/trial'))
      for (const id of ['pageCache', 'compression', 'minify', 'images'] as const)
        setup.remedies[id] = { ...setup.remedies[id], enabled: true } as never
      const trial = await stack.api<Trial>('PUT', at('/trial'), { setup, revision })
      await stack.api('POST', at('/trial/keep'), { revision: trial.revision, note: '' })
      const post = system.posts[2]!
      const path = `/${post.category}/${post.slug}`
      const visitor = (): LiveVisitor => new LiveVisitor(PORT + 10, site.liveHost)
      const warm = async (): Promise<void> => {
        for (const page of ['/', path, '/', path]) await visitor().get(page)
      }
      const { plainUrl } = await stack.api<EventTarget>('GET', at('/event-target'))
      const editor = visitor()
      await editor.form('/sign-in', { name: 'editor', password: 'lanterns' })
      const took = { event: [] as number[], editor: [] as number[], watching: [] as number[] }
      for (let time = 0; time < TIMES; time++) {
        await warm()
        system.edit(post.id, { title: `Told ${time}` })
        const begun = performance.now()
        await fetch(plainUrl, { method: 'POST', body: JSON.stringify({ url: path }) })
        took.event.push(
          Math.max(
            await untilSeen(site, path, `Told ${time}`, begun),
            await untilSeen(site, '/', `Told ${time}`, begun),
          ),
        )
      }
      for (let time = 0; time < TIMES; time++) {
        await warm()
        await editor.get(path)
        const begun = performance.now()
        await editor.json('/api/content', { id: post.id, title: `Saved ${time}` })
        took.editor.push(
          Math.max(
            await untilSeen(site, path, `Saved ${time}`, begun),
            await untilSeen(site, '/', `Saved ${time}`, begun),
          ),
        )
      }
      for (let time = 0; time < WATCHED_TIMES; time++) {
        await warm()
        system.edit(post.id, { title: `Watched ${time}` })
        const begun = performance.now()
        took.watching.push(
          Math.max(
            await untilSeen(site, path, `Watched ${time}`, begun),
            await untilSeen(site, '/', `Watched ${time}`, begun),
          ),
        )
      }
      const result = (name: string, values: readonly number[], aim: number) =>
        ({
          name,
          value: median(values),
          low: Math.min(...values),
          high: Math.max(...values),
          unit: 's',
          aim,
          better: 'lower',
        }) as const
      return [
        result('edit-seen-event-s', took.event, 1),
        result('edit-seen-editor-s', took.editor, 5),
        // The longest counts: when the look comes is chance.
        { ...result('edit-seen-watching-s', took.watching, 70), value: Math.max(...took.watching) },
      ]
    } finally {
      await stack.stop()
      system.close()
    }
  },
}
