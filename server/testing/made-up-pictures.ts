import sharp, { type Sharp } from 'sharp'

/** For tests and benchmarks: made-up pictures that look random and are the same every time. */

const numbers = (seed: number): (() => number) => {
  let state = seed * 7919 + 17
  return () => (state = (state * 1_103_515_245 + 12_345) % 2_147_483_648) / 2_147_483_648
}

/** Something like a photo: soft shapes, edges, and the grain of a camera. */
export const photo = (seed: number, width = 160, height = 120): Sharp => {
  const next = numbers(seed)
  const shapes = Array.from({ length: 8 }, () => ({
    x: next() * width,
    y: next() * height,
    r: (0.05 + next() * 0.3) * width,
    colour: [next() * 255, next() * 255, next() * 255] as const,
    soft: next() < 0.6,
  }))
  const grain = 3 + (seed % 5) * 3
  const values = new Uint8Array(width * height * 3)
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      let [r, g, b] = [90 + (120 * y) / height, 130 + (60 * y) / height, 190 - (80 * y) / height]
      for (const { x: cx, y: cy, r: radius, colour, soft } of shapes) {
        const far = Math.hypot(x - cx, y - cy) / radius
        if (far >= 1) continue
        const share = soft ? (1 - far) ** 1.5 : 0.85
        r += (colour[0] - r) * share
        g += (colour[1] - g) * share
        b += (colour[2] - b) * share
      }
      const noise = (next() - 0.5) * grain
      const at = 3 * (y * width + x)
      values[at] = Math.max(0, Math.min(255, r + noise))
      values[at + 1] = Math.max(0, Math.min(255, g + noise))
      values[at + 2] = Math.max(0, Math.min(255, b + noise))
    }
  return sharp(values, { raw: { width, height, channels: 3 } })
}

/** A drawing: a few areas of one colour each. */
export const drawing = (seed: number, width = 240, height = 160): Sharp => {
  const next = numbers(seed)
  const boxes = Array.from(
    { length: 8 },
    () =>
      `<rect x="${next() * width}" y="${next() * height}" width="${30 + next() * 60}" height="${20 + next() * 40}" fill="hsl(${next() * 360} 60% 50%)"/>`,
  )
  return sharp(
    Buffer.from(
      `<svg xmlns="http://www.w3.org/2000/svg" width="${width}" height="${height}"><rect width="100%" height="100%" fill="#fff"/>${boxes.join('')}</svg>`,
    ),
  )
}

/** A GIF that moves. */
export const moving = async (frames = 3, width = 64, height = 48): Promise<Buffer> => {
  const stills = await Promise.all(
    Array.from({ length: frames }, (_, i) =>
      drawing(i + 1, width, height)
        .ensureAlpha()
        .raw()
        .toBuffer(),
    ),
  )
  return sharp(Buffer.concat(stills), {
    raw: { width, height: height * frames, channels: 4, pageHeight: height },
  })
    .gif({ delay: 100, loop: 0 })
    .toBuffer()
}
