import { join } from 'node:path'
import { PicturePlan } from '../core/contracts/picture-library.ts'
import { drawing, photo } from '../server/testing/made-up-pictures.ts'
import { pictureProcess } from '../server/pictures/picture-worker.ts'
import type { Benchmark } from './results/result.ts'

/** As cameras and phones write them. */
const CAMERA_QUALITY = 95
const PHOTOS = 12
const DRAWINGS = 6
/** Every fourth photo is wider than any screen needs. */
const WIDE = 3200

const library = async (): Promise<Buffer[]> => {
  const pictures: Buffer[] = []
  for (let seed = 1; seed <= PHOTOS; seed++) {
    const width = seed % 4 === 0 ? WIDE : 1200
    pictures.push(
      await photo(seed, width, Math.round(width * 0.75))
        .jpeg({ quality: CAMERA_QUALITY })
        .toBuffer(),
    )
  }
  for (let seed = 1; seed <= DRAWINGS; seed++) pictures.push(await drawing(seed, 900, 600).png().toBuffer())
  return pictures
}

/** Bytes of a made-up library after to before, each picture as similar as a JPEG of quality 90. */
export const bulkLibrary: Benchmark = {
  names: ['bulk-bytes-kept'],
  run: async () => {
    const maker = pictureProcess(join(import.meta.dirname, 'picture-maker.mjs'))
    const plan = PicturePlan.parse({ processor: 100 })
    const startedAt = performance.now()
    let [before, after] = [0, 0]
    try {
      for (const bytes of await library()) {
        const choice = await maker.choose(bytes, plan, new AbortController().signal)
        before += bytes.length
        after += choice.kind === 'made' ? (choice.variants[0]?.bytes.length ?? bytes.length) : bytes.length
      }
    } finally {
      maker.end()
    }
    const took = (performance.now() - startedAt) / 1000
    console.log(
      `${PHOTOS} photos and ${DRAWINGS} drawings: ${(before / 1e6).toFixed(2)} MB before, ${(after / 1e6).toFixed(2)} MB after, in ${took.toFixed(0)} s`,
    )
    return [{ name: 'bulk-bytes-kept', value: after / before, unit: 'ratio', aim: null, better: 'lower' }]
  },
}
