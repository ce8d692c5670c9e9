import type { RemedyId } from '../contracts/setup.ts'
import { REMEDY_NAMES } from './remedy-names.ts'
import type { Remedy } from './remedy.ts'

const ABOUT: Readonly<Record<RemedyId, Pick<Remedy, 'reach' | 'need' | 'inShort'>>> = {
  pageCache: {
    reach: 'delivery',
    need: 'must',
    inShort: 'Store finished pages and send them without asking your server (origin).',
  },
  compression: { reach: 'delivery', need: 'must', inShort: 'Send text as Brotli or gzip, half to two thirds smaller.' },
  browserCache: {
    reach: 'delivery',
    need: 'must',
    inShort: 'Tell browsers how long to keep files, so a return visit loads little more than the page.',
  },
  minify: {
    reach: 'files',
    need: 'must',
    inShort: 'Remove white space, comments and long local names from pages, CSS, scripts, SVG and JSON.',
  },
  images: { reach: 'files', need: 'must', inShort: 'Send AVIF or WebP in the size the visitor’s screen needs.' },
  lazy: {
    reach: 'page',
    need: 'must',
    inShort: 'Load pictures, frames and backgrounds further down only when the visitor scrolls near them.',
  },
  scriptOrder: {
    reach: 'page',
    need: 'must',
    inShort: 'Scripts run once the page has been read, so the page does not wait for them.',
  },
  hints: {
    reach: 'page',
    need: 'optional',
    inShort: 'Preload the main picture and fonts, and connect early to other hosts.',
  },
  criticalStyles: {
    reach: 'page',
    need: 'optional',
    inShort: 'The rules needed before scrolling go into the page; the style sheets load later.',
  },
  unusedStyles: {
    reach: 'page',
    need: 'optional',
    inShort: 'Remove CSS rules that match nothing on a page or on other pages of its kind.',
  },
  stillVideo: {
    reach: 'page',
    need: 'taste',
    inShort: 'Show a preview picture instead of a video player until the visitor plays it.',
  },
  fonts: { reach: 'files', need: 'optional', inShort: 'Reduce fonts to the characters and icons in use, as WOFF2.' },
  fingerprint: {
    reach: 'files',
    need: 'optional',
    inShort: 'Each file gets a name that changes with its content, so browsers can keep it for a year.',
  },
  unusedScripts: { reach: 'page', need: 'optional', inShort: 'Leave out scripts that nothing on the page uses.' },
  localCopies: {
    reach: 'files',
    need: 'optional',
    inShort: 'Serve copies of third-party scripts from your own address, without a second connection.',
  },
  combine: {
    reach: 'page',
    need: 'taste',
    inShort: 'Join neighbouring style sheets, and neighbouring scripts, into one file.',
  },
  prefetch: {
    reach: 'page',
    need: 'optional',
    inShort: 'Fetch the page that visitors usually open next, and others while they point at its link.',
  },
  filesCdn: {
    reach: 'page',
    need: 'optional',
    inShort: 'Load styles, scripts, fonts and pictures from the host name of a CDN you rent.',
  },
  polling: {
    reach: 'page',
    need: 'taste',
    inShort: 'Answer repeated background requests of open pages from the last response; ask your server less often.',
  },
}

/** All remedies in the usual order of trying (common practice). */
export const REMEDIES: readonly Remedy[] = (Object.keys(REMEDY_NAMES) as RemedyId[]).map((id) => ({
  id,
  name: REMEDY_NAMES[id],
  ...ABOUT[id],
}))
