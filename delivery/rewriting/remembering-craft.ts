import { LRUCache } from 'lru-cache'
import type { Craft } from './craft.ts'
import { digest20 } from './page-tasks.ts'

/** Bytes of results that are remembered. */
const MOST_BYTES = 96 * 1024 * 1024
/** What a result without bytes counts. */
const SMALL = 200

const sizeOf = (value: unknown): number =>
  typeof value === 'string' || Buffer.isBuffer(value) || value instanceof Uint8Array
    ? value.length + SMALL
    : SMALL

/**
 * The same craft, which does nothing twice: another setting of another remedy must not have every script minified and every font cut anew. What
 * was made is remembered by what it was made from.
 */
export const rememberingCraft = (craft: Craft): Craft => {
  const known = new LRUCache<string, { made: Promise<unknown> }>({ max: 10_000 })
  let bytes = 0
  const once = <Output>(id: string, make: () => Promise<Output>): Promise<Output> => {
    const found = known.get(id)
    if (found !== undefined) return found.made as Promise<Output>
    const made = make()
    known.set(id, { made })
    made.then(
      (value) => {
        bytes += sizeOf(value)
        // Forgotten as a whole: that happens seldom, and what is in use is made again.
        if (bytes > MOST_BYTES) {
          known.clear()
          bytes = 0
        }
      },
      () => known.delete(id),
    )
    return made
  }
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
