import sharp from 'sharp'
import { expect } from 'vitest'
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

/** A JPEG of 1200 by 800 with little grain, as in a photo of water; of noise alone no form is smaller than another. */
export const aPhoto = (): Promise<Buffer> => {
  const noise = { type: 'gaussian' as const, mean: 128, sigma: 6 }
  return sharp({ create: { width: 1200, height: 800, channels: 3, background: '#808080', noise } })
    .jpeg({ quality: 95 })
    .toBuffer()
}
