import type { Element } from 'domhandler'
import { compileExceptions, exceptionSentence } from '../context/exceptions.ts'
import { Work, type PageRemedy, type RewriteContext } from '../context/rewrite-context.ts'
import { insertEarly, replaceText, setAttribute, type Edit } from '../document/edits.ts'
import { resolved, textOf, words, type PageDocument } from '../document/page-document.ts'
import { replaceInSrcset } from '../document/srcset.ts'
import { replaceInStyles } from '../styles/addresses.ts'

/** Which files are of which kind, by the end of their path. */
const KINDS = [
  ['styles', /\.css$/i],
  ['scripts', /\.js$/i],
  ['fonts', /\.(?:woff2?|ttf|otf|eot)$/i],
  ['pictures', /\.(?:avif|webp|jpe?g|png|gif|svg|ico)$/i],
] as const

/** Links that name a file which the browser loads; others, `canonical` for one, say something about the site. */
const LOADED_RELS = ['stylesheet', 'preload', 'prefetch', 'icon', 'apple-touch-icon', 'mask-icon']

/** Gives files of one page their address at the CDN, each told once. */
class CdnAddresses {
  readonly work = new Work('filesCdn')
  readonly #told = new Set<string>()
  readonly #page: PageDocument
  readonly #settings: RewriteContext['remedies']['filesCdn']
  readonly #left: ReturnType<typeof compileExceptions>

  constructor(page: PageDocument, { remedies }: RewriteContext) {
    this.#page = page
    this.#settings = remedies.filesCdn
    this.#left = compileExceptions(remedies.filesCdn.exceptions)
  }

  #tell(item: string, how: 'moved' | 'left', sentence: string): void {
    if (this.#told.has(item)) return
    this.#told.add(item)
    if (how === 'moved') this.work.change(item, sentence, [])
    else this.work.left(item, sentence)
  }

  /** The address at the CDN; undefined: the file stays where it is. @param element that names it */
  of(value: string | undefined, element: Element): string | undefined {
    const address = resolved(this.#page, value)
    if (address === undefined || address.origin !== this.#page.address.origin) return undefined
    const kind = KINDS.find(([, ending]) => ending.test(address.pathname))?.[0]
    if (kind === undefined || !this.#settings[kind]) return undefined
    const item = address.pathname + address.search
    const exception = this.#left.file(address) ?? this.#left.element(element)
    if (exception !== undefined) {
      this.#tell(item, 'left', exceptionSentence(exception))
      return undefined
    }
    // A browser checks a digest only of what the other host allows to be read (Subresource Integrity §3.5), and credentials are for one's own host.
    if (element.attribs['integrity'] !== undefined || element.attribs['crossorigin'] === 'use-credentials') {
      this.#tell(item, 'left', 'Left alone: the page vouches for this file with a digest, or sends its cookies along.')
      return undefined
    }
    this.#tell(item, 'moved', `Loaded from ${new URL(this.#settings.address).host}.`)
    return this.#settings.address + item + (/#.*$/.exec(value ?? '')?.[0] ?? '')
  }
}

const inSrcset = (value: string, element: Element, to: CdnAddresses): string =>
  replaceInSrcset(value, (address) => to.of(address, element))
const inStyles = (text: string, element: Element, to: CdnAddresses): string =>
  replaceInStyles(text, (address) => to.of(address, element))

const ATTRIBUTES: Readonly<Record<string, readonly string[]>> = {
  img: ['src', 'data-zest-src'],
  source: ['src'],
  video: ['poster'],
  script: ['src', 'data-zest-src'],
  link: ['href'],
  input: ['src'],
}

const isLoaded = ({ name, attribs }: Element): boolean => {
  // Modules and what they import are one instance by address (WHATWG HTML §8.1.6.2).
  if (name === 'script') return attribs['type'] !== 'module'
  return name !== 'link' || words(attribs['rel']).some((rel) => LOADED_RELS.includes(rel))
}

const editsFor = (element: Element, to: CdnAddresses): Edit[] => {
  const { attribs } = element
  const edits: Edit[] = []
  const change = (name: string, moved: string | undefined): void => {
    if (moved !== undefined && moved !== attribs[name]) edits.push(...setAttribute(element, name, moved))
  }
  if (isLoaded(element)) for (const name of ATTRIBUTES[element.name] ?? []) change(name, to.of(attribs[name], element))
  for (const name of ['srcset', 'imagesrcset'])
    if (attribs[name] !== undefined) change(name, inSrcset(attribs[name], element, to))
  for (const name of ['style', 'data-zest-style'])
    if (attribs[name]?.includes('url(') === true) change(name, inStyles(attribs[name], element, to))
  return edits
}

const CONNECT_EARLY = 'data-zest="cdn"'

/** Have the browser load files of the page from the CDN's host, by the same paths. What style sheets name relative to themselves follows them. */
export const loadFromCdn: PageRemedy = (page, context) => {
  const { address } = context.remedies.filesCdn
  const where = page.address.pathname
  const work = new Work('filesCdn')
  if (address === '') {
    work.left(where, 'No CDN address has been entered.')
    return work.done()
  }
  if (page.address.protocol === 'https:' && address.startsWith('http:')) {
    work.left(where, 'This page comes over HTTPS; browsers load nothing into it over plain HTTP.')
    return work.done()
  }
  if (!context.policy.loadsFrom(new URL(address))) {
    work.left(where, `The page’s security policy does not allow files of ${new URL(address).host}. Add it there first.`)
    return work.done()
  }
  const to = new CdnAddresses(page, context)
  const edits: Edit[] = []
  for (const element of page.elements) {
    edits.push(...editsFor(element, to))
    if (element.name !== 'style' || context.policy.hashes) continue
    const text = textOf(element)
    const after = text.includes('url(') ? inStyles(text, element, to) : text
    if (after !== text) edits.push(...replaceText(element, after))
  }
  if (edits.length > 0) edits.push(...insertEarly(page, `<link rel="preconnect" href="${address}" ${CONNECT_EARLY}>`))
  return { edits, changes: to.work.done().changes }
}
