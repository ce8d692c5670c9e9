import type { RemedyException } from '../contracts/rewriting.ts'
import { optionsOf } from './guides.ts'
import { REMEDIES } from './remedies.ts'
import { remedyName } from './remedy-names.ts'
import type { RemedyOption } from './remedy.ts'
import { settingInWords } from './setting-sentences.ts'
import type { PageKind, RemedyId, Setup } from '../contracts/setup.ts'

/** One setting that two setups disagree on, in words. */
export interface SetupChange {
  readonly remedy: RemedyId | 'general'
  readonly setting: string
  readonly sentence: string
}

const same = (a: unknown, b: unknown): boolean => JSON.stringify(a) === JSON.stringify(b)

const optionOf = (remedy: RemedyId, setting: string): RemedyOption | undefined =>
  optionsOf(remedy).find(({ key }) => key === setting)

/** What came and went in a list; whole lists would be too long to read. */
const listSentence = (label: string, from: readonly string[], to: readonly string[]): string => {
  const added = to.filter((one) => !from.includes(one))
  const removed = from.filter((one) => !to.includes(one))
  if (added.length === 0 && removed.length === 0) return `${label} in another order`
  return [
    `${label}:`,
    ...(added.length > 0 ? [`with ${added.join(', ')}`] : []),
    ...(removed.length > 0 ? [`without ${removed.join(', ')}`] : []),
  ].join(' ')
}

/** What became of kinds of pages, by name. */
const kindsSentence = (from: readonly PageKind[], to: readonly PageKind[]): string => {
  const named = (kinds: readonly PageKind[], name: string): PageKind | undefined =>
    kinds.find((kind) => kind.name === name)
  const added = to.filter(({ name }) => named(from, name) === undefined)
  const removed = from.filter(({ name }) => named(to, name) === undefined)
  const changed = to.filter((kind) => {
    const before = named(from, kind.name)
    return before !== undefined && !same(before, kind)
  })
  const part = (word: string, kinds: readonly PageKind[]): string[] =>
    kinds.length === 0 ? [] : [`${kinds.map(({ name }) => name).join(', ')} ${word}`]
  const parts = [...part('added', added), ...part('removed', removed), ...part('changed', changed)]
  return `kinds of pages: ${parts.length === 0 ? 'in another order' : parts.join('; ')}`
}

const EXCEPTION_WORDS = { file: 'file', address: 'page', selector: 'elements' } as const
const exceptionWords = ({ by, value, reason }: RemedyException): string =>
  `${EXCEPTION_WORDS[by]} ${value}${reason === '' ? '' : ` (${reason})`}`

/** What is left out from now on, and what no longer is. */
const exceptionsSentence = (from: readonly RemedyException[], to: readonly RemedyException[]): string => {
  const has = (list: readonly RemedyException[], one: RemedyException): boolean =>
    list.some((other) => same(other, one))
  const added = to.filter((one) => !has(from, one)).map(exceptionWords)
  const removed = from.filter((one) => !has(to, one)).map(exceptionWords)
  return (
    [
      ...(added.length > 0 ? [`excludes ${added.join(', ')}`] : []),
      ...(removed.length > 0 ? [`no longer excludes ${removed.join(', ')}`] : []),
    ].join('; ') || 'exceptions in another order'
  )
}

const sentenceFor = (remedy: RemedyId, setting: string, from: unknown, to: unknown): string => {
  const name = remedyName(remedy)
  if (setting === 'enabled') return `${name} switched ${to === true ? 'on' : 'off'}`
  const option = optionOf(remedy, setting)
  if (option === undefined) return `${name}: ${setting} changed`
  const label = option.label.charAt(0).toLowerCase() + option.label.slice(1)
  if (option.input.kind === 'kinds') return `${name}: ${kindsSentence(from as PageKind[], to as PageKind[])}`
  if (option.input.kind === 'exceptions')
    return `${name}: ${exceptionsSentence(from as RemedyException[], to as RemedyException[])}`
  if (Array.isArray(from) && Array.isArray(to))
    return `${name}: ${listSentence(label, from as string[], to as string[])}`
  return `${name}: ${label} from ${settingInWords(option.input, from)} to ${settingInWords(option.input, to)}`
}

/** What differs between two setups, remedies in their usual order, switches first. */
export const setupChanges = (from: Setup, to: Setup): SetupChange[] => {
  const changes: SetupChange[] = []
  for (const { id: remedy } of REMEDIES) {
    const before = from.remedies[remedy] as Record<string, unknown>
    const now = to.remedies[remedy] as Record<string, unknown>
    for (const setting of Object.keys(now))
      if (!same(before[setting], now[setting]))
        changes.push({
          remedy,
          setting,
          sentence: sentenceFor(remedy, setting, before[setting], now[setting]),
        })
  }
  if (from.redirectToHttps !== to.redirectToHttps)
    changes.push({
      remedy: 'general',
      setting: 'redirectToHttps',
      sentence: `HTTP ${to.redirectToHttps ? 'redirected to HTTPS' : 'no longer redirected'}`,
    })
  if (!same(from.contentEvents, to.contentEvents))
    changes.push({
      remedy: 'general',
      setting: 'contentEvents',
      sentence: 'What is purged after a change: settings changed',
    })
  if (from.serverTiming !== to.serverTiming)
    changes.push({
      remedy: 'general',
      setting: 'serverTiming',
      sentence: `Server-Timing ${to.serverTiming ? 'added to' : 'left out of'} answers`,
    })
  return changes
}
