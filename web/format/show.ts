import type { Side } from '../../core/contracts/measuring.ts'
import { TRIAL_KEY } from '../../core/http/trial-key.ts'
import { inSeconds } from '../../core/measuring/result-sentence.ts'

/** How figures are written everywhere in the interface. */

export const seconds = (ms: number | null | undefined): string =>
  ms === null || ms === undefined ? '–' : inSeconds(ms)

/** 1 KB = 1000 bytes, as browsers' tools show it. */
export const bytes = (count: number | null | undefined): string => {
  if (count === null || count === undefined) return '–'
  if (count < 1000) return `${Math.round(count)} B`
  if (count < 1_000_000) return `${(count / 1000).toFixed(count < 10_000 ? 1 : 0)} KB`
  if (count < 1_000_000_000) return `${(count / 1_000_000).toFixed(count < 10_000_000 ? 1 : 0)} MB`
  return `${(count / 1e9).toFixed(count < 1e10 ? 1 : 0)} GB`
}

export const whole = (value: number | null | undefined): string =>
  value === null || value === undefined ? '–' : Math.round(value).toLocaleString('en-GB')

/** How many of something: "1 page", "1,200 pages". @param one what a single one is called */
export const howMany = (count: number, one: string): string => `${whole(count)} ${count === 1 ? one : `${one}s`}`

/** An instant in the reader's own time zone; with its year where that is another one. */
export const when = (iso: string, now = new Date()): string =>
  new Date(iso).toLocaleString('en-GB', {
    day: 'numeric',
    month: 'short',
    ...(new Date(iso).getFullYear() !== now.getFullYear() && { year: 'numeric' }),
    hour: '2-digit',
    minute: '2-digit',
  })

/** A rest of time: "about 3 min". */
export const timeLeft = (ms: number | null): string => {
  if (ms === null) return 'time left not known yet'
  if (ms < 60_000) return `about ${Math.max(1, Math.round(ms / 1000))} s left`
  return `about ${Math.round(ms / 60_000)} min left`
}

/** Which of the drawn identities a side has: outline, solid, hatched; anything else is dashed. */
export const sideLook = (side: Side): 'origin' | 'live' | 'trial' | 'other' =>
  side === 'origin' || side === 'live' || side === 'trial' ? side : 'other'

/** Opens the trial: the key goes along once, and is kept by the browser from then on. */
export const trialLink = ({ trialUrl, trialKey }: { trialUrl: string; trialKey: string }, path = '/'): string =>
  `${trialUrl}${path}${path.includes('?') ? '&' : '?'}${TRIAL_KEY}=${trialKey}`

/** What a page is called where its path would say nothing. */
export const pageName = (path: string): string => (path === '/' ? 'Home page' : path)

/** Pages of a sample to choose from. */
export const pageItems = (
  sample: readonly { id: string; path: string; kind: string }[],
): { id: string; title: string; hint: string }[] =>
  sample.map(({ id, path, kind }) => ({ id, title: pageName(path), hint: kind }))

/** Visitors or journeys to choose from. */
export const namedItems = (all: readonly { id: string; name: string }[]): { id: string; title: string }[] =>
  all.map(({ id, name }) => ({ id, title: name }))
