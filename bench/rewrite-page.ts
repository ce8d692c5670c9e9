import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { Setup } from '../core/contracts/setup.ts'
import type { FileFacts } from '../core/page/context/file-facts.ts'
import { rewritePage, type PageOrder } from '../core/page/rewrite.ts'
import { median } from '../core/stats/median.ts'
import { digest20 } from '../delivery/transform/digest.ts'
import type { Benchmark } from './results/result.ts'

const ROUNDS = 30
const ADDRESS = 'http://bench.localhost/'

/** A page of a hundred thousand bytes with what such pages have: scripts in the head, styles, pictures, inline code, comments. */
const pageOf = (bytes: number): string => {
  const head = `<!doctype html>\n<html lang="en">\n<head>\n<meta charset="utf-8">\n<title>Bench</title>\n${[1, 2, 3].map((n) => `<link rel="stylesheet" href="/s${n}.css?v=1">`).join('\n')}\n${[1, 2, 3, 4, 5].map((n) => `<script src="/s${n}.js?v=1"></script>`).join('\n')}\n<script>\n  window.started = Date.now()\n</script>\n</head>\n<body>\n`
  const items: string[] = []
  for (let i = 0, length = head.length; length < bytes - 200; i++) {
    const item = `    <!-- story ${i} -->\n    <article class="card card-${i % 7}">\n      <a href="/stories/${i}">  <img src="/media/p${i % 40}.jpg" alt="Story ${i}">\n        <h3>Story number ${i * 7}</h3>\n      </a>\n      <p>The  boat left at ${i % 24}:30, and ${i % 9} gulls with it.</p>\n    </article>\n`
    items.push(item)
    length += item.length
  }
  return `${head}${items.join('')}</body>\n</html>\n`
}

const modules = join(import.meta.dirname, '../node_modules')

const facts = (): Map<string, FileFacts> => {
  const css = readFileSync(join(modules, 'vuetify/dist/vuetify.css'), 'utf8').slice(0, 60_000)
  const js = readFileSync(join(modules, 'jquery/dist/jquery.js'), 'utf8')
  const made = (path: string, kind: FileFacts['kind'], text?: string): FileFacts => ({
    address: new URL(path, ADDRESS).href,
    kind,
    bytes: text?.length ?? 100_000,
    ...(text === undefined
      ? {
          image: {
            width: 1200,
            height: 800,
            widths: [320, 720, 1200].map((width) => ({ width, path: `/w${width}${path}` })),
          },
        }
      : { text }),
    made: { path: `/made${path.split('?')[0]}`, bytes: 1000, integrity: 'sha384-x', changed: true, by: ['minify'] },
  })
  const files = [
    ...[1, 2, 3].map((n) => made(`/s${n}.css?v=1`, 'style', css)),
    ...[1, 2, 3, 4, 5].map((n) => made(`/s${n}.js?v=1`, 'script', n === 1 ? js : 'window.x = 1')),
    ...Array.from({ length: 40 }, (_, n) => made(`/media/p${n}.jpg`, 'image')),
  ]
  return new Map(files.map((file) => [file.address, file]))
}

/** The whole pipeline on a page of 100 kB, every remedy of reach files and page on; as it runs in a worker thread, once warm. */
export const rewritePageBench: Benchmark = {
  names: ['rewrite-100kb-ms'],
  run: async () => {
    const on = { enabled: true }
    const remedies = [
      'minify',
      'fingerprint',
      'images',
      'fonts',
      'lazy',
      'scriptOrder',
      'hints',
      'unusedStyles',
      'criticalStyles',
      'stillVideo',
      'unusedScripts',
    ]
    const setup = Setup.parse({ remedies: Object.fromEntries(remedies.map((id) => [id, on])) })
    const knowledge: PageOrder['knowledge'] = {
      path: '/',
      device: 'phone',
      viewWidth: 390,
      mainImage: '/media/p0.jpg',
      alsoMain: [],
      images: Array.from({ length: 40 }, (_, n) => ({
        path: `/media/p${n}.jpg`,
        shownWidth: 358,
        inFirstView: n < 2,
      })),
      fonts: [],
      selectors: ['.card', 'body', 'h3'],
      hosts: [],
      unusedScripts: [],
    }
    const order: PageOrder = {
      html: pageOf(100_000),
      address: ADDRESS,
      remedies: setup.remedies,
      device: 'phone',
      multiplexed: true,
      policy: undefined,
      knowledge,
      views: { phone: knowledge },
      facts: facts(),
      alsoUsed: [],
    }
    const times: number[] = []
    let after = 0
    for (let round = 0; round < ROUNDS; round++) {
      const startedAt = performance.now()
      after = (await rewritePage(order, digest20)).html.length
      if (round >= ROUNDS / 3) times.push(performance.now() - startedAt)
    }
    console.log(`a page of ${order.html.length} bytes becomes ${after}`)
    return [{ name: 'rewrite-100kb-ms', value: median(times), unit: 'ms', aim: 1000, better: 'lower' }]
  },
}
