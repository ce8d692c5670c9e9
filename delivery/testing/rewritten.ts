import sharp from 'sharp'
import { expect } from 'vitest'
import { randomFrom } from '../../core/stats/random.ts'
import type { DeliveryBench } from './bench-setup.ts'

export type Asking = [path?: string, options?: Parameters<DeliveryBench['ask']>[1]]

/** The page once everything it names is ready. */
export const rewritten = async (bench: DeliveryBench, ...[path = '/', options = {}]: Asking): Promise<string> => {
  await bench.ask(path, options)
  await expect.poll(() => bench.io.rewriter.waiting('s')).toBe(0)
  return (await bench.ask(path, options)).body.toString()
}

/** What the first group of a pattern finds in a page. */
export const named = (html: string, pattern: RegExp): string =>
  pattern.exec(html)?.[1] ?? expect.fail(`${pattern} in ${html}`)

/**
 * A JPEG of 1200 by 800: waves with some grain, as in a photo of water. Its bytes are the same in every run: of noise
 * by chance the AVIF was now above and now below the bound that a test sets.
 */
export const aPhoto = (): Promise<Buffer> => {
  const [width, height, channels] = [1200, 800, 3] as const
  const random = randomFrom(7)
  const pixels = Buffer.alloc(width * height * channels)
  for (let at = 0; at < pixels.length; at += 1) {
    const pixel = Math.floor(at / channels)
    const [x, y] = [pixel % width, Math.floor(pixel / width)]
    pixels[at] = 128 + 40 * Math.sin(x / 31 + y / 57) + 20 * Math.sin(y / 9) + 20 * (random() - 0.5)
  }
  return sharp(pixels, { raw: { width, height, channels } }).jpeg({ quality: 95 }).toBuffer()
}
