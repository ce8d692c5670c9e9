/**
 * Live fragments: the part of Edge Side Includes Language Specification 1.0 (W3C Note, 4 August 2001) that fills a stored page in for a visitor:
 * include (§3.1), remove (§3.6), comment (§3.5) and the `<!--esi … -->` construct (§3.7).
 */

/** What to put in the place of an include. */
export interface Include {
  readonly kind: 'include'
  readonly src: string
  /** Tried when src fails. */
  readonly alt: string | undefined
  /** onerror="continue": leave the place empty rather than fail the page. */
  readonly continues: boolean
}

export type FragmentPart = { readonly kind: 'text'; readonly text: string } | Include

/** More includes in one page are a mistake or an attack; the rest is left out. */
export const MOST_INCLUDES = 50

const ENTITIES: Record<string, string> = { amp: '&', lt: '<', gt: '>', quot: '"', apos: "'" }
const unescapeXml = (text: string): string =>
  text.replace(/&(amp|lt|gt|quot|apos);/g, (_match, name: string) => ENTITIES[name] ?? '')

const attribute = (tag: string, name: string): string | undefined => {
  const match = new RegExp(`\\s${name}\\s*=\\s*(?:"([^"]*)"|'([^']*)')`, 'i').exec(tag)
  const value = match?.[1] ?? match?.[2]
  return value === undefined ? undefined : unescapeXml(value.trim())
}

/** §3.7: markup inside `<!--esi … -->` is for processors; the marks go, the content stays. */
const unwrapComments = (html: string): string => {
  const open = '<!--esi'
  let result = ''
  let from = 0
  for (;;) {
    const start = html.indexOf(open, from)
    const end = start === -1 ? -1 : html.indexOf('-->', start + open.length)
    if (end === -1) return result + html.slice(from)
    result += html.slice(from, start) + html.slice(start + open.length, end)
    from = end + 3
  }
}

const REMOVE_END = '</esi:remove>'
const INCLUDE_END = '</esi:include>'

/** Whether a text holds anything to process. */
export const hasFragmentMarkup = (html: string): boolean => html.includes('<esi:') || html.includes('<!--esi')

/**
 * A page cut at its fragments, in order. What is not understood (an unclosed tag, another element of the language) is left out of the page up to
 * the end of the tag: a browser must never see the markup.
 */
export const fragmentParts = (page: string): FragmentPart[] => {
  const html = unwrapComments(page)
  const parts: FragmentPart[] = []
  let includes = 0
  let from = 0
  const text = (to: number): void => {
    if (to > from) parts.push({ kind: 'text', text: html.slice(from, to) })
  }
  for (;;) {
    const start = html.indexOf('<esi:', from)
    const closing = html.indexOf('</esi:', from)
    const at = start === -1 ? closing : closing === -1 ? start : Math.min(start, closing)
    if (at === -1) break
    text(at)
    const tagEnd = html.indexOf('>', at)
    if (tagEnd === -1) return parts
    const tag = html.slice(at, tagEnd + 1)
    from = tagEnd + 1
    if (/^<esi:remove[\s>]/i.test(tag) && !tag.endsWith('/>')) {
      const end = html.indexOf(REMOVE_END, from)
      from = end === -1 ? html.length : end + REMOVE_END.length
    } else if (/^<esi:include\s/i.test(tag)) {
      const src = attribute(tag, 'src')
      if (src !== undefined && src !== '' && ++includes <= MOST_INCLUDES)
        parts.push({
          kind: 'include',
          src,
          alt: attribute(tag, 'alt'),
          continues: attribute(tag, 'onerror') === 'continue',
        })
      if (!tag.endsWith('/>') && html.startsWith(INCLUDE_END, from)) from += INCLUDE_END.length
    }
  }
  text(html.length)
  return parts
}

/** Whether the origin says that a page is to be processed: W3C Edge Architecture Specification 1.0 §2.1, Surrogate-Control. */
export const asksForProcessing = (surrogateControl: string | undefined): boolean =>
  /(?:^|,)\s*content\s*=\s*"[^"]*\bESI\/1\.0\b[^"]*"/i.test(surrogateControl ?? '')
