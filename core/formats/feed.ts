import { SaxesParser } from 'saxes'

/** One entry of a feed. */
export interface FeedEntry {
  /** Absolute address of the page it is about. */
  readonly url: string
  /** Everything that the entry says: another text means that the page has changed. */
  readonly text: string
}

export type FeedResult = { kind: 'feed'; entries: FeedEntry[] } | { kind: 'broken'; why: string }

/** Feeds hold some dozens of entries. */
const MOST_ENTRIES = 1000
const ENTRIES = new Set(['item', 'entry'])

/**
 * Read a feed: RSS 2.0, or Atom (RFC 4287), of which the link with the relation "alternate" or none counts. Entries without an absolute http(s) link
 * are left out.
 */
export const parseFeed = (xml: string): FeedResult => {
  const entries: FeedEntry[] = []
  const path: string[] = []
  let root: string | undefined
  let failure: string | undefined
  let entry: { link: string; text: string; depth: number } | undefined
  const parser = new SaxesParser({ xmlns: false, position: true })
  parser.on('error', (error) => (failure ??= error.message.split('\n')[0]))
  parser.on('opentag', ({ name, attributes }) => {
    const local = name.replace(/^.*:/, '')
    root ??= local
    path.push(local)
    if (entry === undefined && ENTRIES.has(local)) entry = { link: '', text: '', depth: path.length }
    else if (entry !== undefined && local === 'link' && path.length === entry.depth + 1) {
      const { href, rel = 'alternate' } = attributes as Record<string, string>
      if (href !== undefined && rel === 'alternate') entry.link ||= href
    }
  })
  const onText = (text: string): void => {
    if (entry === undefined || failure !== undefined) return
    if (path.at(-1) === 'link' && path.length === entry.depth + 1) entry.link ||= text.trim()
    entry.text += text
  }
  parser.on('text', onText)
  parser.on('cdata', onText)
  parser.on('closetag', () => {
    const depth = path.length
    path.pop()
    if (entry === undefined || depth !== entry.depth) return
    const { link, text } = entry
    entry = undefined
    if (/^https?:\/\//i.test(link) && URL.canParse(link) && entries.length < MOST_ENTRIES)
      entries.push({ url: link, text: text.replaceAll(/\s+/g, ' ').trim() })
  })
  parser.write(xml.replace(/^\uFEFF/, '')).close()
  if (failure !== undefined) return { kind: 'broken', why: `it is not well-formed XML (${failure})` }
  if (root === 'rss' || root === 'feed' || root === 'RDF') return { kind: 'feed', entries }
  return { kind: 'broken', why: `its root element is <${root ?? 'nothing'}>, not <rss> or <feed>` }
}
