import type { PageResult, VerdictKind } from '../contracts/measurements.ts'

const pageName = (path: string): string => (path === '/' ? 'the home page' : path)

const listed = (names: readonly string[]): string =>
  names.length < 2 ? (names[0] ?? '') : `${names.slice(0, -1).join(', ')} and ${names.at(-1)}`

const among = (results: readonly PageResult[], kind: VerdictKind): string[] =>
  results
    .filter(({ verdict }) => verdict?.kind === kind)
    .map(({ path, visitorName }) => `${pageName(path)} as “${visitorName}”`)

/**
 * What a comparison comes to, worst first and never averaged: what helps one visitor and hurts another says so before anything
 * else.
 * @returns sentences, none when nothing was compared
 */
export const headline = (results: readonly PageResult[]): string[] => {
  const compared = results.filter(({ verdict }) => verdict !== null)
  if (compared.length === 0) return []
  const of = (kind: VerdictKind): string[] => among(compared, kind)
  const [broken, slower, faster] = [of('broken'), of('slower'), of('faster')]
  const [same, few] = [of('no-difference'), of('too-few')]
  const sentences: string[] = []
  if (broken.length > 0) sentences.push(`Broken: ${listed(broken)}.`)
  if (slower.length > 0 && faster.length > 0)
    sentences.push(`Some pages are slower: ${listed(slower)}. Faster: ${listed(faster)}.`)
  else if (slower.length > 0) sentences.push(`Slower: ${listed(slower)}.`)
  else if (faster.length > 0)
    sentences.push(
      faster.length === compared.length ? `Faster everywhere: ${listed(faster)}.` : `Faster: ${listed(faster)}.`,
    )
  if (same.length > 0) sentences.push(`No measurable difference: ${listed(same)}.`)
  if (few.length > 0) sentences.push(`Too few pairs to tell: ${listed(few)}.`)
  return sentences
}
