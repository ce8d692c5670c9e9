import type { RunDetails, RunMetrics } from '../contracts/measuring.ts'
import { inSeconds } from '../measuring/result-sentence.ts'

/** Something a close look at a page showed, with what it rests on. */
export interface Observation {
  readonly title: string
  readonly sentence: string
  readonly rows: readonly (readonly string[])[]
  readonly columns: readonly string[]
}

const kb = (bytes: number): string => `${(bytes / 1000).toFixed(bytes < 10_000 ? 1 : 0)} KB`
const share = (part: number, whole: number): string => `${Math.round((100 * part) / Math.max(1, whole))}%`
const nameOf = (url: string): string => {
  if (!URL.canParse(url)) return url
  const { pathname, search, host } = new URL(url)
  return (pathname === '/' ? host + pathname : pathname.slice(pathname.lastIndexOf('/') + 1)) + search
}

/** An image counts as larger than shown from this factor of pixels on. */
const LARGER = 1.5
const LITTLE_BYTES = 1000

const unusedSeen = ({ unused }: RunDetails): Observation | undefined => {
  const rows = unused.filter(({ unusedBytes }) => unusedBytes > LITTLE_BYTES)
  if (rows.length === 0) return undefined
  const total = rows.reduce((sum, { unusedBytes }) => sum + unusedBytes, 0)
  return {
    title: 'Styles and scripts that this page does not use',
    sentence: `${kb(total)} of them were not used in this load. A menu or a form may use some of it later, so it cannot simply be removed.`,
    columns: ['File', 'Kind', 'Not used', 'Of', 'Share'],
    rows: rows.map(({ url, type, inline, totalBytes, unusedBytes }) => [
      inline ? `${nameOf(url)} (inline)` : nameOf(url),
      type,
      kb(unusedBytes),
      kb(totalBytes),
      share(unusedBytes, totalBytes),
    ]),
  }
}

const imagesSeen = ({ images }: RunDetails, pixelRatio: number): Observation | undefined => {
  const rows = images
    .filter(({ shownWidth, shownHeight }) => shownWidth > 0 && shownHeight > 0)
    .map((image) => ({
      image,
      factor:
        (image.naturalWidth * image.naturalHeight) / (image.shownWidth * image.shownHeight * pixelRatio * pixelRatio),
    }))
    .filter(({ factor, image }) => factor > LARGER && !/\.svg(\?|$)/i.test(image.url))
    .toSorted((a, b) => b.factor - a.factor)
  if (rows.length === 0) return undefined
  return {
    title: 'Pictures larger than they are shown',
    sentence: `${rows.length} ${rows.length === 1 ? 'picture has' : 'pictures have'} more pixels than this screen can show of ${rows.length === 1 ? 'it' : 'them'}.`,
    columns: ['Picture', 'Has', 'Shown at', 'Extra pixels'],
    rows: rows.map(({ image, factor }) => [
      nameOf(image.url),
      `${image.naturalWidth}×${image.naturalHeight}`,
      `${Math.round(image.shownWidth)}×${Math.round(image.shownHeight)}`,
      `${factor.toFixed(1)}×`,
    ]),
  }
}

const unsizedSeen = ({ images }: RunDetails): Observation | undefined => {
  const rows = images.filter(({ sized }) => !sized)
  if (rows.length === 0) return undefined
  return {
    title: 'Pictures without width and height',
    sentence: `${rows.length} ${rows.length === 1 ? 'picture moves' : 'pictures move'} the content below when ${rows.length === 1 ? 'it loads' : 'they load'}.`,
    columns: ['Picture', 'Visible before scrolling'],
    rows: rows.map(({ url, inFirstView }) => [nameOf(url), inFirstView ? 'yes' : 'no']),
  }
}

const fontsSeen = ({ fonts }: RunDetails): Observation | undefined => {
  const rows = fonts.filter(({ blockedMs }) => blockedMs > 0)
  if (rows.length === 0) return undefined
  return {
    title: 'Fonts that hid text',
    sentence: `Text stayed invisible for up to ${inSeconds(Math.max(...rows.map(({ blockedMs }) => blockedMs)))} while ${rows.length === 1 ? 'a font' : 'fonts'} loaded.`,
    columns: ['Font', 'File', 'font-display', 'Hidden for'],
    rows: rows.map(({ family, url, display, blockedMs }) => [
      family,
      url === null ? '' : nameOf(url),
      display,
      inSeconds(blockedMs),
    ]),
  }
}

const shiftsSeen = ({ shifts }: Pick<RunMetrics, 'shifts'>): Observation | undefined =>
  shifts.length === 0
    ? undefined
    : {
        title: 'Layout shifts',
        sentence: `Elements moved ${shifts.length === 1 ? 'once' : `${shifts.length} times`} while the page loaded.`,
        columns: ['After', 'By (CLS)', 'What'],
        rows: shifts.map(({ atMs, value, elements }) => [inSeconds(atMs), value.toFixed(3), elements.join(', ')]),
      }

const consoleSeen = ({ console: messages }: RunDetails): Observation | undefined =>
  messages.length === 0
    ? undefined
    : {
        title: 'Errors the page reported',
        sentence: `${messages.length} ${messages.length === 1 ? 'message' : 'messages'} in the console.`,
        columns: ['Message', 'From'],
        rows: messages.map(({ text, url }) => [text, url === null ? '' : nameOf(url)]),
      }

/** Nodes from which on a page counts as large (common practice). */
const MANY_NODES = 1500

const domSeen = ({ dom }: RunDetails): Observation => ({
  title: 'Size of the document',
  sentence: `${dom.nodes.toLocaleString('en-GB')} elements, ${dom.depth} levels deep${dom.nodes > MANY_NODES ? '; every style change has to consider all of them' : ''}.`,
  columns: [],
  rows: [],
})

/** Details of this load, in the order of what it commonly costs. @param pixelRatio of the visitor's screen */
export const observationsOf = (details: RunDetails, metrics: RunMetrics, pixelRatio: number): Observation[] =>
  [
    imagesSeen(details, pixelRatio),
    unusedSeen(details),
    fontsSeen(details),
    unsizedSeen(details),
    shiftsSeen(metrics),
    consoleSeen(details),
    domSeen(details),
  ].filter((seen) => seen !== undefined)
