import type { PageKnowledge } from '../../contracts/page-changes.ts'
import { addressPattern } from '../../sampling/page-kinds.ts'

type Device = PageKnowledge['device']

/** What is known of a page on a device: measured itself, or else a page of its kind (same beginning of the path). */
export const knowledgeFor = (
  all: readonly PageKnowledge[],
  path: string,
  device: Device,
): PageKnowledge | undefined => {
  const of = all.filter((one) => one.device === device)
  const pattern = addressPattern(path)
  return of.find((one) => one.path === path) ?? of.find((one) => addressPattern(one.path) === pattern)
}

const union = <T>(a: readonly T[], b: readonly T[]): T[] => [...new Set([...a, ...b])]

/** One copy for both devices must suit both: what either needs early is needed early. */
export const knowledgeForBoth = (
  phone: PageKnowledge | undefined,
  laptop: PageKnowledge | undefined,
): PageKnowledge | undefined => {
  if (phone === undefined || laptop === undefined) return phone ?? laptop
  const first = new Set([...phone.images, ...laptop.images].filter((one) => one.inFirstView).map(({ path }) => path))
  return {
    ...phone,
    // Two different ones: loading either before the other would be wrong for somebody.
    mainImage: phone.mainImage === laptop.mainImage ? phone.mainImage : null,
    alsoMain: phone.alsoMain.filter((path) => laptop.alsoMain.includes(path)),
    images: [
      ...phone.images,
      ...laptop.images.filter(({ path }) => !phone.images.some((one) => one.path === path)),
    ].map((image) => ({ ...image, inFirstView: first.has(image.path) })),
    fonts: phone.fonts.filter((path) => laptop.fonts.includes(path)),
    selectors: union(phone.selectors, laptop.selectors),
    hosts: union(phone.hosts, laptop.hosts),
    asks: phone.asks === undefined || laptop.asks === undefined ? undefined : [...phone.asks, ...laptop.asks],
    unusedScripts: phone.unusedScripts.filter(({ path }) => laptop.unusedScripts.some((one) => one.path === path)),
  }
}
