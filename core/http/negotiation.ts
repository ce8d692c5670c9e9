import { listMembers } from './fields.ts'

export const CODINGS = ['br', 'gzip', 'identity'] as const
export type Coding = (typeof CODINGS)[number]

const QVALUE = /^(?:0(?:\.\d{0,3})?|1(?:\.0{0,3})?)$/

/** Values of Accept-Encoding that are remembered: there are as many as there are browsers. */
const MOST_REMEMBERED = 200
const remembered = new Map<string, Map<string, number>>()

const weightsOf = (acceptEncoding: string): Map<string, number> => {
  const known = remembered.get(acceptEncoding)
  if (known !== undefined) return known
  const weights = parseWeights(acceptEncoding)
  if (remembered.size < MOST_REMEMBERED) remembered.set(acceptEncoding, weights)
  return weights
}

/** Weights by coding; a malformed weight counts as 0, the side on which every browser can read the answer. */
const parseWeights = (acceptEncoding: string): Map<string, number> => {
  const weights = new Map<string, number>()
  for (const member of listMembers(acceptEncoding)) {
    const [name = '', ...parameters] = member.split(';').map((part) => part.trim().toLowerCase())
    const q = parameters.find((parameter) => parameter.startsWith('q='))?.slice(2)
    weights.set(name === 'x-gzip' ? 'gzip' : name, q === undefined ? 1 : QVALUE.test(q) ? Number(q) : 0)
  }
  return weights
}

/**
 * The coding to send (RFC 9110 §12.5.3): the available one with the highest weight; among equals the one listed first in
 * `available`, which is the order of the sender's preference.
 * @param acceptEncoding the field's value; undefined means that any coding may be sent, and then identity is the safe one
 * @returns identity also when the visitor refuses everything: an answer it may not like beats a 406
 */
export const negotiateCoding = (acceptEncoding: string | undefined, available: readonly Coding[]): Coding => {
  if (acceptEncoding === undefined) return 'identity'
  const weights = weightsOf(acceptEncoding)
  const weightOf = (coding: Coding): number =>
    // Identity is acceptable unless excluded by "identity;q=0" or "*;q=0", at the lowest preference.
    weights.get(coding) ?? weights.get('*') ?? (coding === 'identity' ? 0.0001 : 0)
  let best: Coding = 'identity'
  let bestWeight = 0
  // Last, so that a coding wins over identity at the same weight.
  for (const coding of [...available, 'identity'] as const) {
    const weight = weightOf(coding)
    if (weight > bestWeight) [best, bestWeight] = [coding, weight]
  }
  return best
}

const COMPRESSIBLE =
  /^\s*(text\/|application\/(?:[\w.+-]*\+)?(?:json|xml|javascript|x-javascript|ecmascript|wasm|manifest\+json|rtf|vnd\.ms-fontobject|x-font-ttf)\b|image\/(?:svg\+xml|bmp|x-icon|vnd\.microsoft\.icon)\b|font\/(?:ttf|otf|sfnt|collection)\b)/i

/** Whether compressing this media type gains anything: images, video and WOFF fonts are compressed already. */
export const isCompressible = (contentType: string | undefined): boolean =>
  contentType !== undefined && COMPRESSIBLE.test(contentType) && !/^\s*text\/event-stream/i.test(contentType)
