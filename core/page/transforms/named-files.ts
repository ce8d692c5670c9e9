import { readPage, resolved, words } from '../document/page-document.ts'
import type { FileFactsKind } from '../context/file-facts.ts'
import { readSheet, styleAddresses } from '../styles/addresses.ts'
import { srcsetAddresses } from '../document/srcset.ts'

/** A file that a page or style sheet names. */
export interface NamedFile {
  readonly address: string
  readonly kind: FileFactsKind
}

const fromSrcset = (value: string): string[] => srcsetAddresses(value).map(({ address }) => address)

const LINKED: Record<string, FileFactsKind> = {
  style: 'style',
  script: 'script',
  image: 'image',
  font: 'font',
}

/** Files that a page names in a way that can be rewritten: each once, in the order of the page. */
export const filesOfPage = (html: string, address: URL): NamedFile[] => {
  const page = readPage(html, address)
  const found = new Map<string, NamedFile>()
  const add = (value: string | undefined, kind: FileFactsKind): void => {
    const url = resolved(page, value)
    if (url !== undefined && !found.has(url.href)) found.set(url.href, { address: url.href, kind })
  }
  const addStyles = (text: string): void => {
    if (text.includes('url('))
      for (const { value, use } of styleAddresses(readSheet(text))) add(value, use === 'font' ? 'font' : 'image')
  }
  for (const { name, attribs, children } of page.elements) {
    if (name === 'script') add(attribs['src'], 'script')
    if (name === 'img') add(attribs['src'], 'image')
    if (name === 'video') add(attribs['poster'], 'image')
    if (name === 'img' || name === 'source')
      for (const one of attribs['srcset'] === undefined ? [] : fromSrcset(attribs['srcset'])) add(one, 'image')
    if (name === 'link' && words(attribs['rel']).includes('stylesheet')) add(attribs['href'], 'style')
    if (name === 'link' && words(attribs['rel']).includes('preload') && attribs['as'] !== undefined)
      add(attribs['href'], LINKED[attribs['as']] ?? 'other')
    if (attribs['style'] !== undefined) addStyles(attribs['style'].includes('{') ? '' : `x{${attribs['style']}}`)
    if (name === 'style') addStyles(children.map((child) => ('data' in child ? child.data : '')).join(''))
  }
  return [...found.values()]
}

/** Files that a style sheet names, resolved against its own address. */
export const filesOfSheet = (text: string, address: URL): NamedFile[] =>
  styleAddresses(readSheet(text)).flatMap(({ value, use }): NamedFile[] => {
    if (!URL.canParse(value, address)) return []
    const url = new URL(value, address)
    url.hash = ''
    if (!/^https?:$/.test(url.protocol)) return []
    return [{ address: url.href, kind: use === 'import' ? 'style' : use === 'font' ? 'font' : 'image' }]
  })
