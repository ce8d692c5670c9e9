import type { Pixels } from './sample-tiles.ts'

/** What of a picture decides how it may be made lighter. */

/** With so many pixels like their left neighbour, it was drawn and not photographed (common practice: photos have under a fifth). */
const DRAWN = 0.55

/**
 * Whether a picture was drawn: large areas of one colour, which a lossy form would spoil with grain that the eye sees at once.
 */
export const isDrawn = ({ values: pixels, width, height }: Pixels): boolean => {
  if (width < 2) return true
  let same = 0
  for (let y = 0; y < height; y++)
    for (let x = 1; x < width; x++) {
      const at = 4 * (y * width + x)
      if (
        pixels[at] === pixels[at - 4] &&
        pixels[at + 1] === pixels[at - 3] &&
        pixels[at + 2] === pixels[at - 2] &&
        pixels[at + 3] === pixels[at - 1]
      )
        same++
    }
  return same / ((width - 1) * height) >= DRAWN
}

const SIGNATURE = [0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a]
const CHUNK_FIELDS = 12
const ANIMATION_CONTROL = 0x6163544c
const IMAGE_DATA = 0x49444154

/**
 * Whether a PNG moves: an acTL chunk stands before the first IDAT (PNG, third edition, §11.3.3.1). Programs that know only the still picture would
 * make it stand still.
 */
export const isMovingPng = (bytes: Uint8Array): boolean => {
  if (bytes.length < SIGNATURE.length || SIGNATURE.some((value, i) => bytes[i] !== value)) return false
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  for (let at = SIGNATURE.length; at + CHUNK_FIELDS <= bytes.length;) {
    const type = view.getUint32(at + 4)
    if (type === ANIMATION_CONTROL) return true
    if (type === IMAGE_DATA) return false
    at += CHUNK_FIELDS + view.getUint32(at)
  }
  return false
}
