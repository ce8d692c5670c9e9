import type { Element } from 'domhandler'
import { compileExceptions, exceptionSentence, fileMatcher } from '../context/exceptions.ts'
import { Work, type PageRemedy, type RewriteContext } from '../context/rewrite-context.ts'
import { removeElement } from '../document/edits.ts'
import {
  allNodes,
  isClassicScript,
  resolved,
  shown,
  textOf,
  words,
  type PageDocument,
} from '../document/page-document.ts'
import { originalPath } from '../context/file-facts.ts'

/** Something many systems put into every page, and how to tell that this page does not need it. */
interface Feature {
  readonly setting: 'emoji' | 'embeds' | 'migration'
  readonly name: RegExp
  /** Why it is needless here; undefined: it may be needed. */
  readonly needless: (page: PageDocument, context: RewriteContext, address: URL) => string | undefined
}

const EMOJI = /\p{Extended_Pictographic}/u
/** Signs that Unicode counts as pictographs and every font has. */
const PLAIN_SIGNS = /[©®™↔-↪▶◀☀-☎✓✔✖]/gu

/** Text that is or may be shown: scripts may yet put what templates hold into the page. */
const visibleText = ({ root }: PageDocument): string => {
  const parts: string[] = []
  for (const { node } of allNodes(root)) {
    const within = node.parent?.type
    if (node.type === 'text' && within !== 'script' && within !== 'style') parts.push(node.data)
  }
  return parts.join('')
}

const FEATURES: readonly Feature[] = [
  {
    setting: 'emoji',
    name: /emoji/i,
    needless: (page) =>
      EMOJI.test(visibleText(page).replaceAll(PLAIN_SIGNS, '')) ? undefined : 'There is no emoji on this page.',
  },
  {
    setting: 'embeds',
    name: /embed(?:s|-|\.|_)|oembed/i,
    needless: (page) =>
      page.elements.some(
        ({ name, attribs }) =>
          name === 'iframe' ||
          (name === 'blockquote' && words(attribs['class']).some((word) => word.includes('embed'))),
      )
        ? undefined
        : 'No other page is shown inside this one.',
  },
  {
    setting: 'migration',
    name: /migrate|migration/i,
    needless: (_page, { knowledge }, address) => {
      const path = originalPath(address.pathname)
      if (knowledge === undefined || !knowledge.measured.includes(path)) return undefined
      return knowledge.spoke.includes(path)
        ? undefined
        : 'Measured on this page, it never spoke up: nothing here is written for an older library.'
    },
  },
]

/** Inline code that only sets a feature up names it near its beginning. */
const isInlineOf = (element: Element, { name }: Feature): boolean => {
  const text = textOf(element)
  return (
    isClassicScript(element) &&
    text.length < 8000 &&
    /(?:window|var|let|const)\b/.test(text) &&
    name.test(text.slice(0, 200))
  )
}

/** Leaves out scripts for features that this page is proven not to use, and what the owner knows to be needless. */
export const leaveOutFeatures: PageRemedy = (page, context) => {
  const work = new Work('features')
  const settings = context.remedies.features
  const left = compileExceptions(settings.exceptions)
  const isNeedless = fileMatcher(settings.more)
  for (const element of page.elements) {
    if (element.name !== 'script' && element.name !== 'link') continue
    const address = resolved(page, element.attribs[element.name === 'script' ? 'src' : 'href'])
    const item = element.attribs['src'] ?? element.attribs['href'] ?? shown(page, element)
    const feature = FEATURES.find(
      (one) =>
        settings[one.setting] &&
        (address !== undefined ? one.name.test(address.pathname.split('/').at(-1)!) : isInlineOf(element, one)),
    )
    const named = address !== undefined && isNeedless(address)
    if (!named && (feature === undefined || element.name === 'link')) continue
    const exception = left.file(address) ?? left.element(element)
    if (exception !== undefined) {
      work.left(item, exceptionSentence(exception))
      continue
    }
    const why = named ? 'You named it as needless.' : feature?.needless(page, context, address ?? page.address)
    if (why === undefined) work.left(item, 'Stays: it may be needed here.')
    else
      work.change(item, `Left out. ${why}`, removeElement(element), {
        before: context.shelf.find(address)?.bytes ?? null,
        after: 0,
      })
  }
  return work.done()
}
