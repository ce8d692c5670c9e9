import { minify as csso } from 'csso'
import { minify as htmlMinifier } from 'html-minifier-terser'
import { request } from 'node:http'
import { brotliCompressSync, brotliDecompressSync, constants } from 'node:zlib'
import sharp from 'sharp'
import { minify as terser } from 'terser'
import { TRIAL_KEY } from '../core/http/trial-key.ts'
import { filesOfPage, filesOfSheet } from '../core/page/transforms/named-files.ts'
import { qualityFor } from '../core/page/pictures/widths.ts'
import { Stack } from '../e2e/stack.ts'
import type { Benchmark } from './results/result.ts'

const PORT = 19_600
const QUALITY = 80

interface Sent {
  readonly type: string
  readonly sent: number
  readonly body: Buffer
}

const TYPES: [RegExp, string][] = [
  [/html/, 'page'],
  [/css/, 'styles'],
  [/javascript/, 'scripts'],
  [/image/, 'pictures'],
  [/font/, 'fonts'],
]

/** The server that is asked, under which name, with which fields besides. */
interface Asked {
  readonly port: number
  readonly host: string
  readonly fields?: Record<string, string>
}

const get = ({ port, host, fields = {} }: Asked, path: string): Promise<Sent> =>
  new Promise((resolve, reject) => {
    const headers = { ...fields, host, accept: 'image/avif,image/webp,*/*', 'accept-encoding': 'br, gzip' }
    request({ host: '127.0.0.1', port, path, headers }, (res) => {
      const chunks: Buffer[] = []
      res.on('data', (chunk: Buffer) => chunks.push(chunk))
      res.on('end', () => {
        const raw = Buffer.concat(chunks)
        const type = TYPES.find(([pattern]) => pattern.test(String(res.headers['content-type'])))?.[1] ?? 'other'
        resolve({
          type,
          sent: raw.length,
          body: res.headers['content-encoding'] === 'br' ? brotliDecompressSync(raw) : raw,
        })
      })
    })
      .on('error', reject)
      .end()
  })

/** The page and every file of its own host that it names, styles' own included. */
const everything = async (asked: Asked): Promise<Map<string, Sent>> => {
  const { host } = asked
  const address = new URL(`http://${host}/`)
  const home = await get(asked, '/')
  const found = new Map<string, Sent>([['/', home]])
  const take = async (url: URL): Promise<void> => {
    const path = url.pathname + url.search
    if (url.host !== host || found.has(path)) return
    const file = await get(asked, path)
    found.set(path, file)
    if (file.type === 'styles')
      for (const { address: inside } of filesOfSheet(file.body.toString(), url)) await take(new URL(inside))
  }
  for (const file of filesOfPage(home.body.toString(), address)) await take(new URL(file.address))
  return found
}

const brotli = (text: string): number =>
  brotliCompressSync(text, { params: { [constants.BROTLI_PARAM_QUALITY]: 11 } }).length

/** What the libraries reach when they are called directly on the same file. */
const byLibrary = async ({ type, body }: Sent): Promise<number> => {
  const text = body.toString()
  switch (type) {
    case 'styles':
      return brotli(csso(text, { restructure: false }).css)
    case 'scripts':
      return brotli((await terser(text)).code ?? text)
    case 'page':
      return brotli(
        await htmlMinifier(text, { collapseWhitespace: true, conservativeCollapse: true, removeComments: true }),
      )
    case 'pictures': {
      const avif = await sharp(body)
        .avif({ quality: qualityFor('avif', QUALITY), effort: 3 })
        .toBuffer()
      return Math.min(avif.length, body.length)
    }
    default:
      return body.length
  }
}

const sums = (files: Iterable<readonly [string, number]>): Map<string, number> => {
  const result = new Map<string, number>()
  for (const [type, bytes] of files) result.set(type, (result.get(type) ?? 0) + bytes)
  return result
}

/** The page when nothing gets smaller any more: rewritten, converted, and in its smallest codings. */
const settled = async (stack: Stack, siteId: string, asked: Asked): Promise<Map<string, Sent>> => {
  let before = Number.POSITIVE_INFINITY
  for (;;) {
    const files = await everything(asked)
    await stack.prepared(siteId)
    const bytes = [...files.values()].reduce((sum, { sent }) => sum + sent, 0)
    if (bytes === before) return files
    before = bytes
    await new Promise((resolve) => setTimeout(resolve, 4000))
  }
}

/** Bytes of the ferry site's home page by type: at the origin, with every remedy of reach delivery and files, and by the libraries alone. */
export const homeBytes: Benchmark = {
  names: ['home-bytes-vs-origin', 'home-bytes-vs-libraries'],
  run: async () => {
    const stack = await Stack.start(PORT)
    try {
      const site = await stack.site()
      const on = { enabled: true }
      // At full width, as the libraries are called: what several widths spare depends on the screen.
      const images = { ...on, quality: QUALITY, sizes: false, widest: 8000 }
      const setup = { remedies: { pageCache: on, compression: on, minify: on, images, fonts: on } }
      await stack.api('PUT', `/sites/${site.id}/trial`, { setup })
      const host = `${site.trialHost}:${PORT + 10}`
      const before = await everything({ port: PORT + 1, host: `127.0.0.1:${PORT + 1}` })
      const after = await settled(stack, site.id, {
        port: PORT + 10,
        host,
        fields: { [TRIAL_KEY]: site.trialKey },
      })
      const library = new Map<string, number>()
      for (const [path, file] of before) library.set(path, await byLibrary(file))
      const sent = (files: ReadonlyMap<string, Sent>) =>
        sums([...files.values()].map((file) => [file.type, file.sent] as const))
      const [origin, ours] = [sent(before), sent(after)]
      const theirs = sums([...before].map(([path, { type }]) => [type, library.get(path) ?? 0] as const))
      for (const type of origin.keys())
        console.log(
          `${type}: ${origin.get(type)} bytes at the origin, ${ours.get(type) ?? 0} here, ${theirs.get(type)} by the libraries alone`,
        )
      const compared = ['styles', 'scripts', 'pictures']
      const total = (of: Map<string, number>, types: Iterable<string>): number =>
        [...types].reduce((sum, type) => sum + (of.get(type) ?? 0), 0)
      return [
        {
          name: 'home-bytes-vs-origin',
          value: total(ours, origin.keys()) / total(origin, origin.keys()),
          unit: 'ratio',
          aim: 0.5,
          better: 'lower',
        },
        {
          name: 'home-bytes-vs-libraries',
          value: total(ours, compared) / total(theirs, compared),
          unit: 'ratio',
          aim: 1.03,
          better: 'lower',
        },
      ]
    } finally {
      await stack.stop()
    }
  },
}
