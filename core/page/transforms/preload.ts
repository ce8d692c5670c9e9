import type { Element } from 'domhandler'
import { compileExceptions } from '../context/exceptions.ts'
import { Work, type PageRemedy, type RewriteContext } from '../context/rewrite-context.ts'
import { escapedValue, insertEarly, setAttribute } from '../document/edits.ts'
import { resolved, textOf, words, type PageDocument } from '../document/page-document.ts'
import { originalPath } from '../context/file-facts.ts'
import { filesOfSheet } from './named-files.ts'
import { standsInPage } from './inline-lcp-image.ts'

/** More than these and they take the link from each other (common practice). */
const MOST_FONTS = 2
const MOST_PRECONNECTS = 3
const MOST_LOOKUPS = 6

const hasHint = (page: PageDocument, rel: string, href: string): boolean =>
  page.elements.some(
    ({ name, attribs }) =>
      name === 'link' &&
      words(attribs['rel']).includes(rel) &&
      new URL(attribs['href'] ?? '', page.base).href === new URL(href, page.base).href,
  )

/** A picture that is or may be the main content is asked for before anything else of its kind (WHATWG HTML §2.5.8, fetch priority). */
const mainPicture = (page: PageDocument, path: string, sentence: string, context: RewriteContext, work: Work): void => {
  const element = page.elements.find(
    ({ name, attribs }) => name === 'img' && originalPath(resolved(page, attribs['src'])?.pathname ?? '') === path,
  )
  if (element !== undefined && standsInPage(page, element, context)) return
  if (element !== undefined && element.attribs['fetchpriority'] === undefined)
    work.edit(setAttribute(element, 'fetchpriority', 'high'))
  const href = element?.attribs['src'] ?? path
  if (element?.attribs['srcset'] !== undefined || hasHint(page, 'preload', href)) return
  work.change(href, sentence, [
    ...insertEarly(page, `<link rel="preload" as="image" fetchpriority="high" href="${escapedValue(href)}">`),
  ])
}

const mainPictures = (page: PageDocument, context: RewriteContext, work: Work): void => {
  const { mainImage = null, alsoMain = [] } = context.knowledge ?? {}
  const left = compileExceptions(context.remedies.hints.exceptions)
  for (const path of mainImage === null ? [] : [mainImage, ...alsoMain]) {
    if (left.file(new URL(path, page.address)) !== undefined) continue
    const sentence =
      path === mainImage
        ? 'The main picture is loaded first.'
        : 'Preloaded: about as large as the main picture, it is the main content of some loads.'
    mainPicture(page, path, sentence, context, work)
  }
}

/** Fonts that the page's own styles name, by the path the origin has them under. */
const fontsInPage = (page: PageDocument): ReadonlySet<string> =>
  new Set(
    page.elements
      .filter(({ name }) => name === 'style')
      .flatMap((element) => filesOfSheet(textOf(element), page.base))
      .filter(({ kind }) => kind === 'font')
      .map(({ address }) => originalPath(new URL(address).pathname)),
  )

const fonts = (page: PageDocument, context: RewriteContext, work: Work): void => {
  const early = (context.knowledge?.fonts ?? []).slice(0, MOST_FONTS)
  const inPage = early.length > 0 ? fontsInPage(page) : new Set()
  for (const path of early) {
    if (hasHint(page, 'preload', path)) continue
    if (inPage.has(originalPath(path))) {
      // Browsers wait with the first paint for fonts that are preloaded (in Chromium 0.4 s of a slow phone's time, docs/decisions/030).
      work.left(
        path,
        'Not preloaded: the page itself refers to it, so the browser finds it at once; preloading it would delay the first paint.',
      )
      continue
    }
    // Fonts are fetched without credentials; without crossorigin they would load twice (CSS Fonts 4 §4.8.2).
    work.change(path, 'A font used before scrolling is preloaded.', [
      ...insertEarly(page, `<link rel="preload" as="font" crossorigin href="${escapedValue(path)}">`),
    ])
  }
}

const otherOrigin = (page: PageDocument, element: Element): string | undefined => {
  const named = ['script', 'iframe', 'img'].includes(element.name) ? element.attribs['src'] : undefined
  const address = resolved(page, named)
  return address === undefined || address.host === page.address.host ? undefined : address.origin
}

const hosts = (page: PageDocument, context: RewriteContext, work: Work): void => {
  const early = (context.knowledge?.hosts ?? []).slice(0, MOST_PRECONNECTS)
  for (const origin of early)
    if (!hasHint(page, 'preconnect', origin))
      work.change(origin, 'A connection is opened early; it is used before the first paint.', [
        ...insertEarly(page, `<link rel="preconnect" href="${escapedValue(origin)}">`),
      ])
  const named = [...new Set(page.elements.map((one) => otherOrigin(page, one)))]
  for (const origin of named.filter((one) => one !== undefined).slice(0, MOST_LOOKUPS))
    if (!early.includes(origin) && !hasHint(page, 'dns-prefetch', origin) && !hasHint(page, 'preconnect', origin))
      work.change(origin, 'Its host name is looked up early.', [
        ...insertEarly(page, `<link rel="dns-prefetch" href="${escapedValue(origin)}">`),
      ])
}

/** Tells the browser early of what it would find late: the main picture, the fonts of the initial viewport, other hosts. */
export const addHints: PageRemedy = (page, context) => {
  const work = new Work('hints')
  const { preloadMain, preloadFonts, preconnect } = context.remedies.hints
  if (preloadMain) mainPictures(page, context, work)
  if (preloadFonts) fonts(page, context, work)
  if (preconnect) hosts(page, context, work)
  if (context.knowledge === undefined && (preloadMain || preloadFonts))
    work.left(
      page.address.pathname,
      'Main picture and early fonts are not known until this page, or one of its kind, has been measured.',
    )
  return work.done()
}
