/** A frame of the initial viewport; all of one load have the same size. */
export interface PixelFrame {
  readonly atMs: number
  /** Brightness or colour values, 0 to 255, row by row. */
  readonly pixels: Uint8Array
}

const distance = (a: Uint8Array, b: Uint8Array): number => {
  let sum = 0
  for (let index = 0; index < a.length; index++) sum += Math.abs(a[index]! - b[index]!)
  return sum
}

/**
 * Visual progress: how near each frame is to the last one, 0 for the first and 1 for the last; and the area above that curve,
 * the mean time for which the initial viewport was not yet as it would be.
 * @param frames in the order of time; a frame stands until the next
 * @returns null without frames
 * @throws RangeError when frames differ in size
 */
export const visualProgress = (
  frames: readonly PixelFrame[],
): { curve: { atMs: number; share: number }[]; meanMs: number } | null => {
  const [first] = frames
  const last = frames.at(-1)
  if (first === undefined || last === undefined) return null
  if (frames.some(({ pixels }) => pixels.length !== last.pixels.length))
    throw new RangeError('Frames of one load must have the same size.')
  const whole = distance(first.pixels, last.pixels)
  const curve = frames.map(({ atMs, pixels }) => ({
    atMs,
    share: whole === 0 ? 1 : Math.min(1, Math.max(0, 1 - distance(pixels, last.pixels) / whole)),
  }))
  let meanMs = curve[0]!.atMs
  for (let index = 1; index < curve.length; index++)
    meanMs += (curve[index]!.atMs - curve[index - 1]!.atMs) * (1 - curve[index - 1]!.share)
  return { curve, meanMs }
}
