import type { Side } from '../contracts/measuring.ts'

/** Number of the version that a side is, if it is one. */
export const versionOf = (side: Side): number | undefined =>
  side.startsWith('version-') ? Number(side.slice('version-'.length)) : undefined

/** Earlier states first: a verdict reads from the earlier to the later side. */
export const sideRank = (side: Side): number => {
  const version = versionOf(side)
  if (version !== undefined) return version
  return RANKS[side as keyof typeof RANKS]
}

const RANKS = {
  origin: 0,
  archive: 0.5,
  'without-objects': 9e8,
  live: 1e9,
  'through-edges': 1.5e9,
  again: 2e9,
  trial: 3e9,
  candidate: 4e9,
} as const

const NAMES: Record<string, string> = {
  origin: 'Origin',
  live: 'Live',
  trial: 'Trial',
  candidate: 'With this change',
  again: 'Repeat',
  archive: 'Archive',
  'without-objects': 'Live, object cache missing',
  'through-edges': 'Nearest edge',
}

/** Name of a side, for labels. */
export const sideName = (side: Side): string => NAMES[side] ?? `Version ${versionOf(side)}`

const WORDS: Record<string, string> = {
  origin: 'from your server (origin)',
  live: 'live',
  trial: 'in trial',
  candidate: 'with this change',
  again: 'in the repeat',
  archive: 'in the archive',
  'without-objects': 'live while every read of the object cache misses',
  'through-edges': 'through the nearest edge',
}

/** Where a page was loaded from, within a sentence. */
export const sideWords = (side: Side): string => WORDS[side] ?? `in version ${versionOf(side)}`
