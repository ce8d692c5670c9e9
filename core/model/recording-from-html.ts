import { parse } from 'parse5'
import { attributeOf, htmlElements, type HtmlElement } from '../formats/html-tree.ts'
import type { Discovery, PageRecording, RecordedResource } from './recording.ts'

/** Something that HTML or a style sheet names, before it has been fetched. */
export interface NamedResource {
  readonly url: string
  readonly type: RecordedResource['type']
  readonly discovery: Discovery
  readonly blocks: RecordedResource['blocks']
  readonly runs: RecordedResource['runs']
  readonly urgency: number
}

/** The first candidate of srcset is as good as any when nothing says which the browser takes. */
const firstOf = (srcset: string | undefined): string | undefined => srcset?.trim().split(/[\s,]/, 1)[0]

type Part = Pick<NamedResource, 'type' | 'blocks' | 'runs' | 'urgency'> & { address: string; lazy?: boolean }

const scriptPart = (element: HtmlElement, inHead: boolean): Part | undefined => {
  const address = attributeOf(element, 'src')
  const type = attributeOf(element, 'type') ?? ''
  if (address === undefined || (type !== '' && !/javascript|module/i.test(type))) return undefined
  const isAsync = attributeOf(element, 'async') !== undefined
  const waits = !isAsync && attributeOf(element, 'defer') === undefined && type !== 'module'
  return {
    address,
    type: 'script',
    blocks: waits ? (inHead ? 'rendering' : 'parsing') : 'nothing',
    runs: isAsync ? 'at-once' : 'after-parsing',
    urgency: waits ? (inHead ? 3 : 2) : 1,
  }
}

const linkPart = (element: HtmlElement): Part | undefined => {
  const address = attributeOf(element, 'href')
  const rel = (attributeOf(element, 'rel') ?? '').toLowerCase().split(/\s+/)
  if (address === undefined) return undefined
  const rest = { runs: 'after-parsing' as const, address }
  if (rel.includes('stylesheet') && !rel.includes('alternate')) {
    const forPrint = /^\s*print\s*$/i.test(attributeOf(element, 'media') ?? '')
    return { ...rest, type: 'style', blocks: forPrint ? 'nothing' : 'rendering', urgency: forPrint ? 0 : 4 }
  }
  if (!rel.includes('preload')) return undefined
  const types: Record<string, NamedResource['type']> = {
    style: 'style',
    script: 'script',
    image: 'image',
    font: 'font',
  }
  return { ...rest, type: types[attributeOf(element, 'as') ?? ''] ?? 'other', blocks: 'nothing', urgency: 3 }
}

const partOf = (element: HtmlElement, inHead: boolean): Part | undefined => {
  if (element.tagName === 'script') return scriptPart(element, inHead)
  if (element.tagName === 'link') return linkPart(element)
  if (element.tagName !== 'img') return undefined
  const address = attributeOf(element, 'src') ?? firstOf(attributeOf(element, 'srcset'))
  if (address === undefined || address === '') return undefined
  const lazy = attributeOf(element, 'loading') === 'lazy'
  return { address, type: 'image', blocks: 'nothing', runs: 'after-parsing', urgency: 1, lazy }
}

/**
 * What a page names, in the order of its HTML, each address once. What scripts ask for is not seen.
 * @param html as text @param url of the page
 */
export const namedInHtml = (html: string, url: string): NamedResource[] => {
  const found = new Map<string, NamedResource>()
  let base = url
  let inHead = false
  for (const { node: element, depth } of htmlElements(parse(html, { sourceCodeLocationInfo: true }))) {
    // The head is a child of the root element, which is one of the document.
    if (depth <= 2) inHead = element.tagName === 'head'
    const href = attributeOf(element, 'href')
    if (element.tagName === 'base' && href !== undefined && URL.canParse(href, url)) base = new URL(href, url).href
    const part = partOf(element, inHead)
    if (part === undefined || !URL.canParse(part.address, base)) continue
    const { address, lazy, ...rest } = part
    const target = new URL(address, base)
    target.hash = ''
    if (!/^https?:$/.test(target.protocol) || found.has(target.href)) continue
    const offset = (element.sourceCodeLocation?.startOffset ?? 0) / Math.max(1, html.length)
    const discovery: Discovery = lazy === true ? { by: 'layout' } : { by: 'parser', offset: Math.min(1, offset) }
    found.set(target.href, { ...rest, url: target.href, discovery })
  }
  return [...found.values()]
}

const IMPORT = /@import\s+(?:url\(\s*)?["']?([^"')\s;]+)/gi
const FONT = /@font-face\s*\{[^}]*?src\s*:[^}]*?url\(\s*["']?([^"')]+)/gi

/** What a style sheet names that an initial viewport commonly needs: imports, and the first file of each font. @param id of the sheet in the recording */
export const namedInStyle = (css: string, url: string, id: number): NamedResource[] => {
  const addresses = (pattern: RegExp): string[] =>
    [...css.matchAll(pattern)]
      .map(([, address = '']) => address)
      .filter((address) => URL.canParse(address, url) && !address.startsWith('data:'))
      .map((address) => new URL(address, url).href)
  return [
    ...addresses(IMPORT).map((address): NamedResource => ({
      url: address,
      type: 'style',
      discovery: { by: 'resource', id, delayMs: 0 },
      blocks: 'rendering',
      runs: 'after-parsing',
      urgency: 4,
    })),
    ...addresses(FONT).map((address): NamedResource => ({
      url: address,
      type: 'font',
      discovery: { by: 'layout' },
      blocks: 'nothing',
      runs: 'after-parsing',
      urgency: 4,
    })),
  ]
}

/** What was learnt by fetching it. */
export interface FetchedResource extends NamedResource {
  readonly sentBytes: number
  readonly decodedBytes: number
  readonly serverMs: number
  readonly multiplexed: boolean
}

/**
 * Main-thread time by decoded bytes, ms per KB on a laptop of our days, for pages that no browser has loaded (common practice; it varies
 * by a factor of several, which is why figures made from it are marked as predicted).
 */
const MS_PER_KB: Record<RecordedResource['type'], number> = {
  document: 0.15,
  script: 0.5,
  style: 0.1,
  image: 0,
  font: 0,
  other: 0,
}
const RENDER_MS = 25

/** A recording of a page that was only fetched, the document first. */
export const recordingOfFetched = (fetched: readonly FetchedResource[]): PageRecording => {
  const [document] = fetched
  const firstImage = fetched.findIndex(({ type, discovery }) => type === 'image' && discovery.by === 'parser')
  return {
    resources: fetched.map(({ url, decodedBytes, ...rest }, id): RecordedResource => {
      const { origin, hostname, protocol } = new URL(url)
      const nativeMs = id === 0 ? 0 : (MS_PER_KB[rest.type] * decodedBytes) / 1000
      return { ...rest, id, url, origin, hostname, secure: protocol === 'https:', nativeMs, cached: false }
    }),
    parseMs: ((document?.decodedBytes ?? 0) / 1000) * MS_PER_KB.document,
    renderMs: RENDER_MS,
    // Which picture is the main content only a browser can tell; the first one of the page is it most often.
    lcp: firstImage > 0 ? { kind: 'image', id: firstImage } : { kind: 'first-paint' },
  }
}
