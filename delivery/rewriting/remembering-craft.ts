import type { Craft } from './craft.ts'
import { MadeOnce } from './made-once.ts'
import { digest20 } from './digest.ts'

/** Bytes of results that are remembered. */
const MOST_BYTES = 96 * 1024 * 1024

const bytesOf = (value: unknown): number =>
  typeof value === 'string' || value instanceof Uint8Array ? value.length : 0

/**
 * The same craft, which does nothing twice: another setting of another remedy must not have every script minified and every font cut anew. What
 * was made is remembered by what it was made from.
 */
export const rememberingCraft = (craft: Craft): Craft => {
  const known = new MadeOnce<unknown>(MOST_BYTES, bytesOf)
  const once = <Output>(id: string, make: () => Promise<Output>): Promise<Output> =>
    known.of(id, make) as Promise<Output>
  return {
    ...craft,
    script: (text) => once(`script ${digest20(text)}`, () => craft.script(text)),
    svg: (text) => once(`svg ${digest20(text)}`, () => craft.svg(text)),
    pictureFacts: (picture) => once(`facts ${digest20(picture)}`, () => craft.pictureFacts(picture)),
    font: (order) => {
      const { bytes: font, ...wishes } = order
      return once(`font ${digest20(font)} ${JSON.stringify(wishes)}`, () => craft.font(order))
    },
  }
}
