import { remedyName } from './catalogue.ts'
import type { RemedyId, Setup } from '../contracts/setup.ts'

/** One setting that two setups disagree on, in words. */
export interface SetupChange {
  readonly remedy: RemedyId | 'general'
  readonly setting: string
  readonly from: unknown
  readonly to: unknown
  readonly sentence: string
}

const shown = (value: unknown): string =>
  Array.isArray(value)
    ? value.length === 0
      ? 'none'
      : value.join(', ')
    : value === true
      ? 'on'
      : value === false
        ? 'off'
        : String(value)

const change = (remedy: RemedyId | 'general', setting: string, from: unknown, to: unknown): SetupChange => {
  const name = remedy === 'general' ? 'General' : remedyName(remedy)
  const sentence =
    setting === 'enabled'
      ? `${name} switched ${to === true ? 'on' : 'off'}`
      : `${name}: ${setting} from ${shown(from)} to ${shown(to)}`
  return { remedy, setting, from, to, sentence }
}

const same = (a: unknown, b: unknown): boolean => JSON.stringify(a) === JSON.stringify(b)

/** What differs between two setups, remedies in their usual order, switches first. */
export const setupChanges = (from: Setup, to: Setup): SetupChange[] => {
  const changes: SetupChange[] = []
  for (const remedy of Object.keys(to.remedies) as RemedyId[]) {
    const [before, now] = [from.remedies[remedy], to.remedies[remedy]] as [
      Record<string, unknown>,
      Record<string, unknown>,
    ]
    for (const setting of Object.keys(now))
      if (!same(before[setting], now[setting]))
        changes.push(change(remedy, setting, before[setting], now[setting]))
  }
  if (from.serverTiming !== to.serverTiming)
    changes.push(change('general', 'serverTiming', from.serverTiming, to.serverTiming))
  return changes
}
