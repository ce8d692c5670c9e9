import type { TransformPool } from './transform-pool.ts'
import { OnceEach } from './once-each.ts'
import { digest20 } from './digest.ts'

/** Bytes of results that are remembered. */
const MOST_BYTES = 96 * 1024 * 1024

const bytesOf = (value: unknown): number =>
  typeof value === 'string' || value instanceof Uint8Array ? value.length : 0

/**
 * The same craft, which does nothing twice: another setting of another remedy must not have every script minified and every font cut again. What
 * was made is remembered by what it was made from.
 */
export const memoizingPool = (pool: TransformPool): TransformPool => {
  const known = new OnceEach<unknown>(MOST_BYTES, bytesOf)
  const once = <Output>(id: string, make: () => Promise<Output>): Promise<Output> =>
    known.of(id, make) as Promise<Output>
  return {
    ...pool,
    script: (text) => once(`script ${digest20(text)}`, () => pool.script(text)),
    svg: (text) => once(`svg ${digest20(text)}`, () => pool.svg(text)),
    pictureFacts: (picture) => once(`facts ${digest20(picture)}`, () => pool.pictureFacts(picture)),
    font: (order) => {
      const { bytes: font, ...wishes } = order
      return once(`font ${digest20(font)} ${JSON.stringify(wishes)}`, () => pool.font(order))
    },
  }
}
