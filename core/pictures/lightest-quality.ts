/** A picture in one form and quality. */
export interface EncodedPicture {
  readonly quality: number
  /** Up to 1: the same as the original. */
  readonly similarity: number
  readonly bytes: number
}

export interface QualityRange {
  /** Qualities of the form, each a whole number. */
  readonly lowest: number
  readonly highest: number
  /** Where to look first. */
  readonly first: number
}

/** What a lighter picture has to be. */
export interface QualityGoal {
  /** Least similarity. */
  readonly bound: number
  /** With more bytes than this, there is nothing to gain. */
  readonly mostBytes: number
}

/** How far from the first quality the next one is; each step after it is twice as far. */
const STEP = 3
/** Similarity goes up and down a little from one quality to the next; so many below the one that was found are tried too. */
const BELOW = 2

/**
 * The lowest quality that is as similar as it has to be: in growing steps away from where it is expected, then by bisection. A higher quality is hardly
 * ever less similar.
 * @param encode makes the picture in a quality; asked at most once for each
 * @returns undefined when not even the highest quality is similar enough
 */
export const lightestQuality = async <T extends EncodedPicture>(
  encode: (quality: number) => Promise<T>,
  { bound, mostBytes }: QualityGoal,
  { lowest, highest, first }: QualityRange,
): Promise<T | undefined> => {
  let best: T | undefined
  // What is known: below `low` nothing fits; `high` fits, or is too heavy, or is one above the highest.
  let [low, high] = [lowest, highest + 1]
  const tried = new Set<number>()
  const fits = async (quality: number): Promise<boolean> => {
    tried.add(quality)
    const made = await encode(quality)
    if (made.similarity >= bound) best = made
    // A higher quality only gets heavier.
    else if (made.bytes > mostBytes) high = Math.min(high, quality)
    return made.similarity >= bound
  }
  let next = Math.min(highest, Math.max(lowest, first))
  for (let step = STEP; low < high; step *= 2) {
    const outwards = await fits(next)
    if (outwards) high = next
    else low = Math.min(next + 1, high)
    const further = outwards ? next - step : next + step
    if (further < low || further >= high) break
    next = further
  }
  while (low < high) {
    const middle = (low + high) >> 1
    if (await fits(middle)) high = middle
    else low = Math.min(middle + 1, high)
  }
  if (best === undefined) return undefined
  for (let quality = high - 1; quality >= Math.max(lowest, high - BELOW); quality--)
    if (!tried.has(quality) && (await fits(quality))) break
  return best
}

/**
 * The lowest of some qualities, each more than the one before by more, that is as similar as it has to be.
 * @param from where to begin: what was found on a part of the picture
 */
export const lightestFrom = async <T extends EncodedPicture>(
  encode: (quality: number) => Promise<T>,
  { bound, mostBytes }: QualityGoal,
  from: number,
  highest: number,
): Promise<T | undefined> => {
  for (let [quality, step] = [from, 1]; quality <= highest; quality += step, step *= 2) {
    const made = await encode(quality)
    if (made.similarity >= bound) return made
    if (made.bytes > mostBytes) return undefined
  }
  return undefined
}
