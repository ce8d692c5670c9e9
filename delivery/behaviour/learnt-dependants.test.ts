import { afterEach, beforeEach, expect, test } from 'vitest'
import { ContentSystem } from '../../standins/systems/content-system.ts'
import { NOTICES } from '../../standins/systems/habits.ts'
import { changeReaches } from '../../core/cache/purge-expansion.ts'
import { ContentEventSettings } from '../../core/contracts/setup.ts'
import { purge } from '../purge/purge.ts'
import { relearnLinks } from '../observation/relearn-links.ts'
import { PageLinks } from '../../core/watching/page-links.ts'
import { DeliveryBench, setupWith } from '../testing/bench-setup.ts'

/** A content system with flat addresses, numbered pages and archives: no address tells which list a post stands in. */

let bench: DeliveryBench
let system: ContentSystem
const LISTS = ['/', '/page/2/', '/page/3/', '/category/stories/', '/category/boats/', '/author/aune/', '/about']

beforeEach(async () => {
  system = new ContentSystem(NOTICES)
  bench = await DeliveryBench.open()
  bench.use(setupWith({ pageCache: { staleWhileRevalidateS: 0 } }), { base: await system.open() })
  for (const path of LISTS) await bench.ask(path)
})
afterEach(async () => {
  system.close()
  await bench.close()
})

const tell = async (path: string, io = bench.io): Promise<void> => {
  for (const what of changeReaches({ paths: [path], groups: [] }, ContentEventSettings.parse({})))
    await purge({ siteId: 's', what, manner: 'hard' }, io)
}
const showing = async (text: string): Promise<string[]> => {
  const found: string[] = []
  for (const path of LISTS) if ((await bench.ask(path)).body.toString().includes(text)) found.push(path)
  return found
}

test('a new title is on the numbered page, the category and the author page', async () => {
  const post = system.posts[7]!
  const before = await showing(post.title)
  expect(before).toEqual(['/page/2/', '/category/boats/', '/author/aune/'])
  system.edit(post.id, { title: 'Renamed by the editor' })
  expect(await showing('Renamed by the editor')).toEqual([])
  await tell(`/${post.slug}/`)
  expect(await showing('Renamed by the editor')).toEqual(before)
  expect(await bench.status('/about')).toContain('hit')
})
test('a new post moves the last one of the first page to the second', async () => {
  const last = system.posts[5]!
  expect(await showing(last.title)).not.toContain('/page/2/')
  const added = system.add('Just in: a swan at Quay Six')
  await tell(`/${added.slug}/`)
  expect(await showing(last.title)).toContain('/page/2/')
  expect((await showing(added.title))[0]).toBe('/')
})
test('what was learnt is learnt again from the store after a start', async () => {
  const io = { ...bench.io, links: new PageLinks() }
  await relearnLinks(io)
  const post = system.posts[7]!
  const learnt = await io.links.dependants('s', [`/${post.slug}/`])
  expect(learnt.linking.toSorted()).toEqual(['/author/aune/', '/category/boats/', '/page/2/'])
})
