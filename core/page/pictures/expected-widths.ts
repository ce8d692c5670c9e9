import type { PageKnowledge } from '../../contracts/page-changes.ts'
import type { Remedies } from '../../contracts/setup.ts'
import { compileExceptions } from '../context/exceptions.ts'
import type { FileFacts, ImageFacts } from '../context/file-facts.ts'

/** Device pixels that phones have for each CSS pixel, and laptops (common practice). */
const DENSITY = { phone: 2.6, laptop: 1 } as const

/**
 * The width that a picture is expected to be asked for in.
 * @param view what is known of the page on the device; undefined: it was not looked at
 * @param phoneDensity most pixels per CSS pixel that phones are told to take
 */
const expectedWidth = (
  path: string,
  { widths }: ImageFacts,
  device: 'phone' | 'laptop',
  view: PageKnowledge | undefined,
  phoneDensity: number,
): number => {
  const shown = view?.images.find((one) => one.path === path && one.shownWidth > 0)
  const most = device === 'phone' && shown?.widthHeld === true ? phoneDensity : Number.POSITIVE_INFINITY
  const needed = (shown?.shownWidth ?? view?.viewWidth ?? Number.POSITIVE_INFINITY) * Math.min(DENSITY[device], most)
  return (widths.find(({ width }) => width >= needed) ?? widths.at(-1)!).width
}

/** The widths that phones and laptops are expected to ask for. */
export const expectedWidths = (
  path: string,
  image: ImageFacts,
  views: Readonly<Partial<Record<'phone' | 'laptop', PageKnowledge>>>,
  phoneDensity: number,
): number[] => [
  ...new Set(
    (['phone', 'laptop'] as const).map((device) => expectedWidth(path, image, device, views[device], phoneDensity)),
  ),
]

/** A picture that may be put into a page for phones, and the width that they would ask for. */
export interface InPageCandidate {
  readonly address: string
  readonly made: string
  readonly width: number
}

/**
 * Pictures that may be put into a page for phones: what is or may be its main content, the likeliest first, if the browser has a choice of widths.
 * @param knowledge of the page on phones
 */
export const inlineImageChoices = (
  address: URL,
  knowledge: PageKnowledge | undefined,
  facts: ReadonlyMap<string, FileFacts>,
  { hints, images }: Pick<Remedies, 'hints' | 'images'>,
): InPageCandidate[] => {
  const left = [hints, images].map(({ exceptions }) => compileExceptions(exceptions))
  if (knowledge?.mainImage == null || left.some((one) => one.page(address.pathname) !== undefined)) return []
  return [knowledge.mainImage, ...knowledge.alsoMain].flatMap((path) => {
    const url = new URL(path, address)
    const found = [...facts.values()].find(
      (one) => new URL(one.address).host === url.host && new URL(one.address).pathname === path,
    )
    if (found?.image === undefined || found.made === undefined || found.image.widths.length < 2) return []
    if (left.some((one) => one.file(url) !== undefined)) return []
    const width = expectedWidth(path, found.image, 'phone', knowledge, images.phoneDensity)
    return [{ address: found.address, made: found.made.path, width }]
  })
}
