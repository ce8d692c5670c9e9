import type { Element } from 'domhandler'
import type { PageChange } from '../../contracts/page-changes.ts'
import { compileExceptions } from '../context/exceptions.ts'
import type { InlinePicture, Rewrite, RewriteContext } from '../context/rewrite-context.ts'
import { insertEarly, replaceText, setAttribute, type Edit } from '../document/edits.ts'
import { isStyleLink, resolved, textOf, words, type PageDocument } from '../document/page-document.ts'
import { originalPath, type FileFacts } from '../context/file-facts.ts'
import { replaceInStyles } from '../styles/addresses.ts'
import { maySizePictures, saysItsSize, standsInPage } from './inline-lcp-image.ts'
import { pictureSources, sizesSeen } from './picture-sources.ts'
import { replaceInSrcset } from '../document/srcset.ts'

/** Facts of a file that has an address of its own. */
type MadeFacts = FileFacts & { readonly made: NonNullable<FileFacts['made']> }
const isMade = (facts: FileFacts): facts is MadeFacts => facts.made !== undefined

/** Pictures whose size was written in by us keep their shape whatever width a style gives them; any rule of the page's own weighs more. */
const SIZE_RULE = '<style data-zest="sizes">:where(img[data-zest-size]){height:auto}</style>'

/** Remedies whose work shows in the addresses of files. */
const FILE_REMEDIES = ['minify', 'fingerprint', 'images', 'fonts', 'localCopies', 'hints'] as const

const SENTENCES: Readonly<Record<string, string>> = {
  minify: 'Minified.',
  fingerprint: 'Named after its content, so browsers keep it for a year.',
  images: 'Sent in the format and size that the browser can use.',
  fonts: 'Reduced to the characters in use.',
  localCopies: 'Served from a copy on your own address.',
  hints: 'Text stays visible while its fonts load.',
}

/** Collects edits, and one change for each file and remedy however often a page names it. */
class Addresses {
  readonly edits: Edit[] = []
  readonly #told = new Map<string, PageChange>()
  readonly page: PageDocument
  readonly context: RewriteContext
  /** Remedies of reach files that leave this page alone. */
  readonly #leaving: ReadonlySet<string>
  /** Whether the rule that keeps pictures in shape can stand in this page; parts of pages have no place for it. */
  readonly maySize: boolean
  sized = false

  constructor(page: PageDocument, context: RewriteContext) {
    this.page = page
    this.context = context
    this.maySize = maySizePictures(page, context)
    const { pathname } = page.address
    this.#leaving = new Set(
      FILE_REMEDIES.filter((id) => compileExceptions(context.remedies[id].exceptions).page(pathname) !== undefined),
    )
  }

  /** Whether a remedy that had a part in a file leaves this page alone: then the page names the original. */
  #isLeft({ made, parts }: FileFacts): boolean {
    return made?.by.some((id) => this.#leaving.has(id)) === true || parts?.some((part) => this.#isLeft(part)) === true
  }

  get changes(): PageChange[] {
    return [...this.#told.values()]
  }

  /** The facts of a file that has an address of its own. */
  find(value: string | undefined): MadeFacts | undefined {
    const facts = this.context.shelf.find(resolved(this.page, value))
    return facts === undefined || !isMade(facts) || this.#isLeft(facts) ? undefined : facts
  }

  tell({ address, made, bytes, parts }: FileFacts): void {
    for (const part of parts ?? []) this.tell(part)
    const { host, pathname, search } = new URL(address)
    if (made === undefined) return
    for (const remedy of made.by)
      this.#told.set(`${remedy} ${address}`, {
        remedy,
        kind: 'changed',
        item: host === this.page.address.host ? pathname + search : address,
        sentence: SENTENCES[remedy] ?? 'Changed.',
        bytesBefore: made.changed ? bytes : null,
        bytesAfter: made.changed ? (made.bytes ?? null) : null,
      })
  }

  tellInPage({ address, bytes }: InlinePicture): void {
    this.#told.set(`in page ${address}`, {
      remedy: 'hints',
      kind: 'changed',
      item: new URL(address).pathname,
      sentence: `For phones, the main picture is inside the page as AVIF: ${bytes} bytes, no request.`,
      bytesBefore: null,
      bytesAfter: null,
    })
  }

  /** An address as this page has to write it: below the root, unless the page's base is another host. */
  readonly written = (path: string): string =>
    this.page.base.origin === this.page.address.origin ? path : this.page.address.origin + path
}

/** The address of its own that a file is named by, which is told of. */
const ownAddress =
  (to: Addresses) =>
  (address: string): string | undefined => {
    const facts = to.find(address)
    if (facts === undefined) return undefined
    to.tell(facts)
    return to.written(facts.made.path)
  }
const inSrcset = (value: string, to: Addresses): string => replaceInSrcset(value, ownAddress(to))
const inStyles = (text: string, to: Addresses): string => replaceInStyles(text, ownAddress(to))

/** Attributes of a picture: where it is, in which widths, and how large it is. */
const picture = (element: Element, facts: MadeFacts, to: Addresses): Edit[] => {
  const { attribs } = element
  const inPicture = (element.parent as Element | null)?.name === 'picture'
  const { images } = to.context.remedies
  const image = images.enabled ? facts.image : undefined
  const sized = saysItsSize(element)
  const mayBeSized = image !== undefined && images.dimensions && !sized && to.maySize && !inPicture
  const made = to.written(facts.made.path)
  // Of another width than it has, a picture would be shown in another size, unless the page says which.
  if (image === undefined || inPicture || attribs['srcset'] !== undefined || !(sized || mayBeSized))
    return setAttribute(element, 'src', made)
  const inPage = standsInPage(to.page, element, to.context) ? to.context.inPage : undefined
  const sources = pictureSources(facts, attribs['loading'] === 'lazy', to.context, to.written, inPage)!
  const edits = [...setAttribute(element, 'src', sources.src)]
  if (sources.srcset !== undefined) {
    edits.push(...setAttribute(element, 'srcset', sources.srcset), ...setAttribute(element, 'sizes', sources.sizes))
    if (inPage !== undefined) to.tellInPage(inPage)
  }
  if (mayBeSized) {
    to.sized = true
    edits.push(
      ...setAttribute(element, 'width', String(image.width)),
      ...setAttribute(element, 'height', String(image.height)),
      ...setAttribute(element, 'data-zest-size', undefined),
    )
  }
  return edits
}

/** As wide as the window is what content systems commonly write where they do not know: browsers then load far more than is shown. */
const asWideAsSeen = (element: Element, srcset: string, { page, context }: Addresses): Edit[] => {
  const { sizes, src, loading } = element.attribs
  const widths = [...srcset.matchAll(/([^\s,]\S*)\s+\d+w\b/g)].map(([, address = '']) => address)
  const isWindow = /^\s*(?:100vw\s*)?$/.test(sizes ?? '')
  if (!context.remedies.images.enabled || !isWindow || widths.length === 0) return []
  const addresses = [...widths, ...(src === undefined ? [] : [src])].filter((one) => URL.canParse(one, page.base))
  const seen = sizesSeen(
    addresses.map((one) => originalPath(new URL(one, page.base).pathname)),
    context,
  )
  if (seen === undefined) return []
  return setAttribute(element, 'sizes', loading === 'lazy' ? `auto, ${seen}` : seen)
}

/** The digest that a page vouches for a file with, computed anew (Subresource Integrity §3.5). */
const integrity = (element: Element, { made }: MadeFacts): Edit[] =>
  element.attribs['integrity'] === undefined || element.attribs['integrity'] === '' || !made.changed
    ? []
    : setAttribute(element, 'integrity', made.integrity ?? '')

const preload = (element: Element, facts: MadeFacts, to: Addresses): Edit[] => {
  if (element.attribs['as'] !== 'image')
    return [...setAttribute(element, 'href', to.written(facts.made.path)), ...integrity(element, facts)]
  const { policy, remedies } = to.context
  const sources =
    policy.inlineStyle && remedies.images.enabled && remedies.images.dimensions
      ? pictureSources(facts, false, to.context, to.written)
      : undefined
  const href = setAttribute(element, 'href', sources?.src ?? to.written(facts.made.path))
  return sources?.srcset === undefined
    ? href
    : [
        ...href,
        ...setAttribute(element, 'imagesrcset', sources.srcset),
        ...setAttribute(element, 'imagesizes', sources.sizes),
      ]
}

const editsFor = (element: Element, to: Addresses): Edit[] => {
  const { name, attribs } = element
  const edits: Edit[] = []
  const style = attribs['style']
  for (const attribute of ['style', 'data-zest-style'] as const) {
    const before = attribute === 'style' ? style : attribs[attribute]
    const after = before?.includes('url(') === true ? inStyles(before, to) : before
    if (after !== undefined && after !== before) edits.push(...setAttribute(element, attribute, after))
  }
  const srcset = attribs['srcset']
  if (srcset !== undefined && (name === 'img' || name === 'source')) {
    const after = inSrcset(srcset, to)
    if (after !== srcset) edits.push(...setAttribute(element, 'srcset', after))
    if (name === 'img') edits.push(...asWideAsSeen(element, srcset, to))
  }
  const attribute = name === 'link' ? 'href' : name === 'video' ? 'poster' : 'src'
  const facts = to.find(attribs[attribute])
  if (facts === undefined) return edits
  const rel = words(attribs['rel'])
  if (name === 'img') edits.push(...picture(element, facts, to))
  else if (name === 'video') edits.push(...setAttribute(element, 'poster', to.written(facts.made.path)))
  else if (name === 'link' && rel.includes('preload')) edits.push(...preload(element, facts, to))
  else if (isStyleLink(element))
    edits.push(...setAttribute(element, 'href', to.written(facts.made.path)), ...integrity(element, facts))
  // Modules are one instance by address: under a second one they would run twice (WHATWG HTML §8.1.6.2, module map).
  else if (name === 'script' && attribs['type'] !== 'module')
    edits.push(...setAttribute(element, 'src', to.written(facts.made.path)), ...integrity(element, facts))
  else return edits
  to.tell(facts)
  return edits
}

/**
 * Names files by the addresses of their own under which their rewritten forms are. What is found at the origin's address is always the origin's
 * bytes: a page that is not rewritten, a script that asks by itself, or an integrity attribute elsewhere never meets changed ones.
 */
export const nameOwnAddresses = (page: PageDocument, context: RewriteContext): Rewrite => {
  const to = new Addresses(page, context)
  for (const element of page.elements) {
    to.edits.push(...editsFor(element, to))
    const later = element.name === 'script' ? to.find(element.attribs['data-zest-src']) : undefined
    if (later !== undefined) {
      to.edits.push(...setAttribute(element, 'data-zest-src', to.written(later.made.path)))
      to.tell(later)
    }
    if (element.name !== 'style' || context.policy.hashes) continue
    const text = textOf(element)
    const after = text.includes('url(') ? inStyles(text, to) : text
    if (after !== text) to.edits.push(...replaceText(element, after))
  }
  if (to.sized) to.edits.push(...insertEarly(page, SIZE_RULE))
  return { edits: to.edits, changes: to.changes }
}
