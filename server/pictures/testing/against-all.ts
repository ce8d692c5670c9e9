import sharp from 'sharp'
import { PicturePlan } from '../../../core/contracts/picture-library.ts'
import { planesOf, similarityOf, type Planes } from '../../../core/pictures/similarity.ts'
import { photo } from '../../testing/made-up-pictures.ts'
import { chooseVariants } from '../picture-tasks.ts'

/** For tests: a picture as browsers show it. */
export const seen = async (bytes: Buffer): Promise<Planes> => {
  const { data, info } = await sharp(bytes).ensureAlpha().raw().toBuffer({ resolveWithObject: true })
  return planesOf({ values: data, width: info.width, height: info.height })
}

const AT_LEAST = 0.95

/** The lightest there is: every quality of every form is tried. */
const lightestOfAll = async (bytes: Buffer): Promise<number> => {
  const original = await seen(bytes)
  let least = bytes.length
  for (let quality = 30; quality <= 95; quality++)
    for (const made of [
      await sharp(bytes).avif({ quality, effort: 3, chromaSubsampling: '4:4:4' }).toBuffer(),
      await sharp(bytes).webp({ quality, effort: 5, smartSubsample: true }).toBuffer(),
    ])
      if (made.length < least && similarityOf(original, await seen(made)) >= AT_LEAST) least = made.length
  return least
}

/** For tests: bytes of made-up photos as they are chosen, and of the lightest there are. @param seeds of the photos */
export const againstAll = async (
  seeds: readonly number[],
): Promise<{ chosen: number; best: number; worst: number }> => {
  const plan = { ...PicturePlan.parse({}), bound: { kind: 'ssim', atLeast: AT_LEAST } as const }
  let [chosen, best, worst] = [0, 0, 1]
  for (const seed of seeds) {
    const bytes = await photo(seed, 96, 72).png().toBuffer()
    const choice = await chooseVariants(bytes, plan, async () => undefined)
    const lightest = choice.kind === 'made' ? (choice.variants[0]?.bytes.length ?? bytes.length) : bytes.length
    const least = await lightestOfAll(bytes)
    chosen += lightest
    best += least
    worst = Math.max(worst, lightest / least)
  }
  return { chosen, best, worst }
}
