import { filesOfPage, filesOfSheet } from '../page/transforms/named-files.ts'
import { attributeOf, htmlElements } from '../formats/html-tree.ts'
import { parse } from 'parse5'

/** Addresses that a page names of pictures, and of the style sheets that may name more; whole, without fragment. */
export interface NamedPictures {
  readonly pictures: readonly string[]
  readonly sheets: readonly string[]
}

/** Endings of files that are pictures (IANA media types of the image tree); what a link to one shows is the picture itself. */
const PICTURE_FILE = /\.(?:jpe?g|png|gif|webp|avif)$/i
/** Attributes in which scripts that load pictures late commonly find their address (common practice). */
const LATE = ['data-src', 'data-original', 'data-lazy-src', 'data-bg', 'data-full', 'data-large']

const added = (value: string | undefined, base: string, into: Set<string>): void => {
  if (value === undefined || !URL.canParse(value, base)) return
  const url = new URL(value, base)
  url.hash = ''
  if (/^https?:$/.test(url.protocol)) into.add(url.href)
}

/**
 * Pictures that a page shows, offers in other widths, links to as files, or tells other programs of (Open Graph).
 * @param address of the page
 */
export const picturesOfPage = (html: string, address: URL): NamedPictures => {
  const files = filesOfPage(html, address)
  const pictures = new Set(files.filter(({ kind }) => kind === 'image').map((one) => one.address))
  const sheets = files.filter(({ kind }) => kind === 'style').map((one) => one.address)
  for (const { node } of htmlElements(parse(html))) {
    const href = attributeOf(node, 'href')
    if (node.tagName === 'a' && href !== undefined && PICTURE_FILE.test(href.split(/[?#]/, 1)[0] ?? ''))
      added(href, address.href, pictures)
    if (
      node.tagName === 'meta' &&
      /^(?:og|twitter):image/.test(attributeOf(node, 'property') ?? attributeOf(node, 'name') ?? '')
    )
      added(attributeOf(node, 'content'), address.href, pictures)
    for (const name of LATE) {
      const value = attributeOf(node, name)
      if (value !== undefined && PICTURE_FILE.test(value.split(/[?#]/, 1)[0] ?? ''))
        added(value, address.href, pictures)
    }
  }
  return { pictures: [...pictures], sheets }
}

/** Pictures that a style sheet names. @param address of the sheet */
export const picturesOfSheet = (text: string, address: URL): string[] =>
  filesOfSheet(text, address)
    .filter(({ kind }) => kind === 'image')
    .map((one) => one.address)

/** Whether a file of a media folder is a picture, by its name. */
export const isPictureFile = (name: string): boolean => PICTURE_FILE.test(name)
