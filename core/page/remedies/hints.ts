import type { Element } from 'domhandler'
import { compileExceptions } from '../exceptions.ts'
import { Work, type PageRemedy, type RewriteContext } from '../context.ts'
import { escapedValue, insertEarly, setAttribute } from '../document/edits.ts'
import { resolved, textOf, words, type PageDocument } from '../document/page-document.ts'
import { originalPath } from '../files.ts'
import { filesOfSheet } from '../named-files.ts'

/** More than these and they take the link from each other (common practice). */
const MOST_FONTS = 2
const MOST_PRECONNECTS = 3
const MOST_LOOKUPS = 6

const hasHint = (page: PageDocument, rel: string, href: string): boolean =>
  page.elements.some(
    ({ name, attribs }) =>
      name === 'link' && words(attribs['rel']).includes(rel) && new URL(attribs['href'] ?? '', page.base).href === new URL(href, page.base).href, // prettier-ignore
  )

/** The main picture is asked for before anything else of its kind (WHATWG HTML §2.5.8, fetch priority). */
const mainPicture = (page: PageDocument, context: RewriteContext, work: Work): void => {
  const main = context.knowledge?.mainImage
  if (main == null) return
  const element = page.elements.find(
    ({ name, attribs }) =>
      name === 'img' && originalPath(resolved(page, attribs['src'])?.pathname ?? '') === main,
  )
  if (element !== undefined && element.attribs['fetchpriority'] === undefined)
    work.edit(setAttribute(element, 'fetchpriority', 'high'))
  const href = element?.attribs['src'] ?? main
  if (element?.attribs['srcset'] !== undefined || hasHint(page, 'preload', href)) return
  work.change(href, 'The main picture is asked for first.', [
    ...insertEarly(page, `<link rel="preload" as="image" fetchpriority="high" href="${escapedValue(href)}">`),
  ])
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
      work.left(path, 'Not asked for early: the page names it itself, so it is found with the first lines; asked for earlier, it would hold up the first paint.') // prettier-ignore
      continue
    }
    // Fonts are fetched without credentials; without crossorigin they would load twice (CSS Fonts 4 §4.8.2).
    work.change(path, 'A font of the first view is asked for early.', [
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
    if (
      !early.includes(origin) &&
      !hasHint(page, 'dns-prefetch', origin) &&
      !hasHint(page, 'preconnect', origin)
    )
      work.change(origin, 'Its name is looked up early.', [
        ...insertEarly(page, `<link rel="dns-prefetch" href="${escapedValue(origin)}">`),
      ])
}

/** Tells the browser early of what it would find late: the main picture, the fonts of the first view, other hosts. */
export const addHints: PageRemedy = (page, context) => {
  const work = new Work('hints')
  const { preloadMain, preloadFonts, preconnect, exceptions } = context.remedies.hints
  const left = compileExceptions(exceptions)
  const path = context.knowledge?.mainImage
  if (preloadMain && (path == null || left.file(new URL(path, page.address)) === undefined)) mainPicture(page, context, work) // prettier-ignore
  if (preloadFonts) fonts(page, context, work)
  if (preconnect) hosts(page, context, work)
  if (context.knowledge === undefined && (preloadMain || preloadFonts))
    work.left(page.address.pathname, 'Main picture and early fonts are not known until this page, or one of its kind, has been measured.') // prettier-ignore
  return work.done()
}
