import type { RequestRecord, RunDetails, RunMetrics, ShownImage, VisitorProfile } from '../../contracts/measuring.ts'
import type { PageKnowledge } from '../../contracts/page-changes.ts'
import { originalPath } from './file-facts.ts'

/** A close look at a page, as far as remedies go by it. */
export interface AuditRun {
  readonly path: string
  readonly visitor: Pick<VisitorProfile, 'device' | 'width'>
  readonly metrics: RunMetrics
  readonly details: RunDetails
  readonly requests: readonly RequestRecord[]
}

/** The origin's path of an address, whatever it was named here; undefined for other hosts. */
const pathOn = (host: string, url: string | null): string | undefined => {
  if (url === null || !URL.canParse(url)) return undefined
  const address = new URL(url)
  return address.host === host ? originalPath(address.pathname) : undefined
}

const defined = <T>(values: readonly (T | undefined)[]): T[] => [
  ...new Set(values.filter((value): value is T => value !== undefined)),
]

/** More than these and they take the link from each other (common practice). */
const MOST_ALSO_MAIN = 2
/** A picture that takes up this share of the main one's place may be the main one of another load. */
const ABOUT_AS_LARGE = 0.6

/**
 * Pictures of the initial viewport that are about as large as the main content, the largest first. Which of them is the main content of a load depends on which has
 * come when, and on what above them has its place by then.
 */
const asLarge = (images: readonly ShownImage[], main: string | null): string[] => {
  const area = ({ shownWidth, shownHeight }: ShownImage): number => shownWidth * shownHeight
  const seen = images.filter(({ inFirstView }) => inFirstView).sort((a, b) => area(b) - area(a))
  const mainOne = seen.find(({ url }) => url === main)
  if (mainOne === undefined) return []
  return seen
    .filter((image) => image.url !== main && area(image) >= ABOUT_AS_LARGE * area(mainOne))
    .slice(0, MOST_ALSO_MAIN)
    .map(({ url }) => url)
}

/** More than these say no more than these. */
const MOST_ASKS = 200

/** An address without what differs from load to load: what pages are rewritten by must be the same as long as nothing has changed. */
const withoutQuery = (url: string): string => (url.includes('?') ? `${url.slice(0, url.indexOf('?'))}?` : url)

/** What scripts asked for; what the page itself names is asked for at any rate. Pages that were fetched ahead are no part of the load. */
const askedByScripts = (requests: readonly RequestRecord[]): NonNullable<PageKnowledge['asks']> => {
  const asked = requests
    .filter(({ initiator, type, method }) => {
      if (type === 'document') return false
      if (type === 'other') return method !== 'GET'
      return type === 'fetch' || initiator?.kind === 'script'
    })
    .map(({ url, type, initiator }) => ({
      url: withoutQuery(url),
      by: initiator === null || initiator.url === null ? null : withoutQuery(initiator.url),
      type,
    }))
  const byName = new Map(asked.map((one) => [JSON.stringify(one), one]))
  return [...byName]
    .sort(([a], [b]) => (a < b ? -1 : 1))
    .map(([, one]) => one)
    .slice(0, MOST_ASKS)
}

/**
 * What a close look says about how the page is shown.
 * @returns undefined for looks from before the initial viewport was recorded, and where no page came
 */
export const knowledgeOf = ({ path, visitor, metrics, details, requests }: AuditRun): PageKnowledge | undefined => {
  const page = requests.find(({ type }) => type === 'document')
  if (page === undefined || details.firstView === null) return undefined
  const { host, origin } = new URL(page.url)
  const own = (url: string | null): string | undefined => pathOn(host, url)
  const early = requests.filter(({ startMs, failure }) => failure === null && startMs < (metrics.fcpMs ?? 0))
  const shown = details.images.flatMap(({ url, shownWidth, inFirstView, widthHeld }) => {
    const image = own(url)
    return image === undefined ? [] : [{ path: image, shownWidth, inFirstView, widthHeld }]
  })
  const unseen = defined((details.firstView.later ?? []).map(own)).filter(
    (image) => !shown.some((one) => one.path === image),
  )
  const mainImage = own(metrics.lcpUrl) ?? null
  return {
    path,
    device: visitor.device,
    viewWidth: visitor.width,
    mainImage,
    alsoMain: defined(asLarge(details.images, metrics.lcpUrl).map(own)).filter((image) => image !== mainImage),
    images: [...shown, ...unseen.map((image) => ({ path: image, shownWidth: 0, inFirstView: false }))],
    fonts: defined(details.firstView.fonts.map(own)),
    selectors: details.firstView.selectors,
    hosts: defined(early.map(({ url }) => new URL(url).origin)).filter((one) => one !== origin),
    asks: askedByScripts(requests),
    unusedScripts: (details.scripts ?? []).flatMap(({ url, use, globals }) => {
      const script = own(url)
      return use === 'unused' && script !== undefined ? [{ path: script, globals }] : []
    }),
  }
}
