import type { Pixels } from './sample-tiles.ts'

/**
 * Structural similarity of two pictures: Z. Wang, A. C. Bovik, H. R. Sheikh, E. P. Simoncelli, "Image quality assessment: from error visibility to
 * structural similarity", IEEE Transactions on Image Processing 13(4), 2004.
 */

/** One value from 0 to 255 for each pixel, row by row. */
export interface Plane {
  readonly width: number
  readonly height: number
  readonly values: Uint8Array
}

/** A picture as brightness and two colour differences (ITU-T T.871 §7), and its opacity where it is not opaque everywhere. */
export interface Planes {
  readonly luma: Plane
  /** In half the resolution: finer colours are hardly seen (common practice). */
  readonly blue: Plane
  readonly red: Plane
  readonly alpha: Plane | undefined
}

/** Window of the paper: 11 by 11, Gaussian with a deviation of 1.5 pixels. */
const RADIUS = 5
const SIZE = 2 * RADIUS + 1
const DEVIATION = 1.5
const K1 = 0.01
const K2 = 0.03
const C1 = (K1 * 255) ** 2
const C2 = (K2 * 255) ** 2

const WEIGHTS = (() => {
  const plain = Array.from({ length: SIZE }, (_, i) => Math.exp(-((i - RADIUS) ** 2) / (2 * DEVIATION ** 2)))
  const sum = plain.reduce((total, one) => total + one, 0)
  return Float64Array.from(plain, (one) => one / sum)
})()

/** Sums of one row under the window: of a, b, a², b² and ab. */
const QUANTITIES = 5

/** Filter one row of both planes, at every `stride`-th place. */
const filterRow = (a: Plane, b: Plane, y: number, stride: number, into: Float64Array): void => {
  const base = y * a.width
  const places = into.length / QUANTITIES
  for (let place = 0; place < places; place++) {
    const from = base + place * stride
    let sa = 0
    let sb = 0
    let saa = 0
    let sbb = 0
    let sab = 0
    for (let i = 0; i < SIZE; i++) {
      const weight = WEIGHTS[i] as number
      const va = a.values[from + i] as number
      const vb = b.values[from + i] as number
      sa += weight * va
      sb += weight * vb
      saa += weight * va * va
      sbb += weight * vb * vb
      sab += weight * va * vb
    }
    const at = place * QUANTITIES
    into[at] = sa
    into[at + 1] = sb
    into[at + 2] = saa
    into[at + 3] = sbb
    into[at + 4] = sab
  }
}

/** SSIM from the sums under one window. */
const indexOf = (ma: number, mb: number, aa: number, bb: number, ab: number): number =>
  ((2 * ma * mb + C1) * (2 * (ab - ma * mb) + C2)) / ((ma * ma + mb * mb + C1) * (aa - ma * ma + bb - mb * mb + C2))

/** Pictures that are smaller than the window: one window with all pixels alike. */
const ofWhole = (a: Plane, b: Plane): number => {
  const count = a.values.length
  let [sa, sb, saa, sbb, sab] = [0, 0, 0, 0, 0]
  for (let i = 0; i < count; i++) {
    const [va, vb] = [a.values[i] as number, b.values[i] as number]
    sa += va
    sb += vb
    saa += va * va
    sbb += vb * vb
    sab += va * vb
  }
  return indexOf(sa / count, sb / count, saa / count, sbb / count, sab / count)
}

/**
 * Mean SSIM of two planes of one size.
 * @param stride windows are looked at every so many pixels in each direction; 1: all of them, as in the paper
 * @throws RangeError when the sizes differ
 */
export const ssim = (a: Plane, b: Plane, stride = 1): number => {
  if (a.width !== b.width || a.height !== b.height) throw new RangeError('The pictures are not of one size.')
  if (a.width < SIZE || a.height < SIZE) return ofWhole(a, b)
  const across = Math.floor((a.width - SIZE) / stride) + 1
  const ring = Array.from({ length: SIZE }, () => new Float64Array(across * QUANTITIES))
  const sums = new Float64Array(across * QUANTITIES)
  let total = 0
  let windows = 0
  let filtered = 0
  for (let top = 0; top + SIZE <= a.height; top += stride) {
    for (filtered = Math.max(filtered, top); filtered < top + SIZE; filtered++)
      filterRow(a, b, filtered, stride, ring[filtered % SIZE] as Float64Array)
    sums.fill(0)
    for (let i = 0; i < SIZE; i++) {
      const row = ring[(top + i) % SIZE] as Float64Array
      const weight = WEIGHTS[i] as number
      for (let k = 0; k < sums.length; k++) sums[k] = (sums[k] as number) + weight * (row[k] as number)
    }
    for (let k = 0; k < sums.length; k += QUANTITIES)
      total += indexOf(
        sums[k] as number,
        sums[k + 1] as number,
        sums[k + 2] as number,
        sums[k + 3] as number,
        sums[k + 4] as number,
      )
    windows += across
  }
  return total / windows
}

/** With a smaller side of more than this, not every window is looked at: the mean of so many changes only in the fourth digit. */
const DENSE_UP_TO = 400

/** Stride with which a plane is compared: about as many windows whatever its size. */
const strideFor = ({ width, height }: Plane): number => Math.max(1, Math.floor(Math.min(width, height) / DENSE_UP_TO))

/**
 * How much brightness and the two colours count: Z. Wang, L. Lu, A. C. Bovik, "Video quality assessment based on structural distortion measurement",
 * Signal Processing: Image Communication 19(2), 2004.
 */
const SHARES = { luma: 0.8, blue: 0.1, red: 0.1 } as const

/**
 * How similar two pictures of one size are, up to 1: the same. Where opacity is less similar than what is seen, it is that which counts.
 * @throws RangeError when the sizes differ
 */
export const similarityOf = (a: Planes, b: Planes): number => {
  const plane = (one: Plane, other: Plane): number => ssim(one, other, strideFor(one))
  const seen =
    SHARES.luma * plane(a.luma, b.luma) + SHARES.blue * plane(a.blue, b.blue) + SHARES.red * plane(a.red, b.red)
  return a.alpha === undefined || b.alpha === undefined ? seen : Math.min(seen, plane(a.alpha, b.alpha))
}

/** The mean of four neighbours each; what is left over at odd edges is taken alone. */
const halved = ({ width, height, values }: Plane): Plane => {
  const [w, h] = [Math.ceil(width / 2), Math.ceil(height / 2)]
  const half = new Uint8Array(w * h)
  for (let y = 0; y < h; y++)
    for (let x = 0; x < w; x++) {
      const [left, top] = [2 * x, 2 * y]
      const [right, bottom] = [Math.min(left + 1, width - 1), Math.min(top + 1, height - 1)]
      const sum =
        (values[top * width + left] as number) +
        (values[top * width + right] as number) +
        (values[bottom * width + left] as number) +
        (values[bottom * width + right] as number)
      half[y * w + x] = (sum + 2) >> 2
    }
  return { width: w, height: h, values: half }
}

/** 128, and what rounds a colour difference without its going above 255. */
const HALF = 128 * 65_536 + 32_767

const overGrey = (value: number, opacity: number): number => Math.round((value * opacity + 128 * (255 - opacity)) / 255)

/** The planes of a picture. What is transparent is laid over middle grey: it hides as little of light pictures as of dark ones. */
export const planesOf = ({ values: pixels, width, height }: Pixels): Planes => {
  const count = width * height
  const [luma, blue, red, alpha] = [
    new Uint8Array(count),
    new Uint8Array(count),
    new Uint8Array(count),
    new Uint8Array(count),
  ]
  let opaque = true
  for (let i = 0; i < count; i++) {
    const opacity = pixels[4 * i + 3] as number
    let r = pixels[4 * i] as number
    let g = pixels[4 * i + 1] as number
    let b = pixels[4 * i + 2] as number
    if (opacity !== 255) {
      opaque = false
      r = overGrey(r, opacity)
      g = overGrey(g, opacity)
      b = overGrey(b, opacity)
    }
    // Whole numbers, 65,536 standing for 1: there are millions of pixels.
    luma[i] = (19_595 * r + 38_470 * g + 7471 * b + 32_768) >> 16
    blue[i] = (HALF - 11_056 * r - 21_712 * g + 32_768 * b) >> 16
    red[i] = (HALF + 32_768 * r - 27_440 * g - 5328 * b) >> 16
    alpha[i] = opacity
  }
  const plane = (values: Uint8Array): Plane => ({ width, height, values })
  return {
    luma: plane(luma),
    blue: halved(plane(blue)),
    red: halved(plane(red)),
    alpha: opaque ? undefined : plane(alpha),
  }
}
