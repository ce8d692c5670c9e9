import type { CalendarConflict, CalendarEntry, CalendarWork } from '../contracts/calendar.ts'

/** Work that runs by itself, as far as a calendar has to know it. */
export interface PlannedWork {
  readonly work: CalendarWork
  /** Whether it is due at a moment, when it ran last at another; ms since 1970. */
  readonly isDue: (now: number, last: number | null) => boolean
  /** When it ran last, ms since 1970; null: never. */
  readonly last: number | null
  /** How long it took, ms; null: not known. */
  readonly took: number | null
  /** How often it is wanted, ms; null: once. */
  readonly every: number | null
  /** How long the hours last in which it may begin, ms; null: it may at any hour. */
  readonly quietMs: number | null
  /** What runs when it has ended. */
  readonly then?: { readonly work: CalendarWork; readonly took: number | null }
}

const MINUTE_MS = 60_000
const HOUR_MS = 60 * MINUTE_MS
/** Schedules are looked at in steps of so much: nobody reads a calendar closer. */
const STEP_MS = 5 * MINUTE_MS
/** What never ran is taken to last so long. */
const UNKNOWN_MS = 10 * MINUTE_MS
/** Of each kind so many are listed; what runs every hour would fill the calendar. */
const MOST_OF_EACH = 30

const NAMES: Record<CalendarWork, string> = {
  retest: 'the retest',
  backup: 'the backup',
  'clean-up': 'the clean-up',
  pictures: 'the work on pictures',
  'warm-up': 'the warm-up',
  certificate: 'the renewal of the certificate',
}
const capital = (text: string): string => text.charAt(0).toUpperCase() + text.slice(1)

interface Occurrence {
  readonly work: CalendarWork
  readonly at: number
  readonly took: number | null
}

/** When a piece of work runs, between two moments. */
const occurrences = (one: PlannedWork, from: number, until: number): Occurrence[] => {
  const found: Occurrence[] = []
  let { last } = one
  for (let now = from; now < until && found.length < 2 * MOST_OF_EACH; now += STEP_MS) {
    if (!one.isDue(now, last)) continue
    last = now
    found.push({ work: one.work, at: now, took: one.took })
    if (one.then !== undefined)
      found.push({ work: one.then.work, at: now + (one.took ?? UNKNOWN_MS), took: one.then.took })
    if (one.every === null) break
  }
  return found
}

/** Pairs that are in each other’s way, and what comes of it. Backup and clean-up wait for each other by themselves. */
const IN_THE_WAY: readonly { readonly pair: readonly [CalendarWork, CalendarWork]; readonly so: string }[] = [
  { pair: ['retest', 'backup'], so: 'What is measured meanwhile is slower than usual.' },
  { pair: ['retest', 'clean-up'], so: 'What is measured meanwhile is slower than usual.' },
  { pair: ['retest', 'warm-up'], so: 'The warm-up waits until it has been measured, and ends later.' },
  { pair: ['retest', 'pictures'], so: 'The work on pictures waits until it has been measured, and ends later.' },
  {
    pair: ['warm-up', 'clean-up'],
    so: 'Both ask your server for pages and rows at once; the clean-up waits while it is busy.',
  },
  { pair: ['warm-up', 'backup'], so: 'Both ask your server at once, and pages take longer meanwhile.' },
]

const endOf = ({ at, took }: Occurrence): number => at + (took ?? UNKNOWN_MS)

const overlapOf = (all: readonly Occurrence[]): CalendarConflict[] =>
  IN_THE_WAY.flatMap(({ pair, so }) => {
    const [some, others] = pair.map((work) => all.filter((one) => one.work === work))
    for (const one of some ?? [])
      for (const other of others ?? []) {
        if (one.at >= endOf(other) || other.at >= endOf(one)) continue
        const at = new Date(Math.max(one.at, other.at)).toISOString()
        const [first, second] = pair
        return [
          {
            kind: 'overlap' as const,
            works: [first, second],
            at,
            sentence: `${capital(NAMES[first])} and ${NAMES[second]} overlap. ${so} Give them hours of their own.`,
          },
        ]
      }
    return []
  })

const inWords = (ms: number): string => {
  const hours = ms / HOUR_MS
  if (hours < 1) return `${Math.max(1, Math.round(ms / MINUTE_MS))} minutes`
  return hours < 48 ? `${Number(hours.toFixed(1))} hours` : `${Number((hours / 24).toFixed(1))} days`
}

/** What is wrong with one piece of work by itself. */
const ownConflicts = (one: PlannedWork, found: readonly Occurrence[]): CalendarConflict[] => {
  const { work, every, quietMs, took, then } = one
  const name = capital(NAMES[work])
  const own = found.filter((each) => each.work === work)
  const at = own[0] === undefined ? null : new Date(own[0].at).toISOString()
  const whole = (took ?? 0) + (then?.took ?? 0)
  const conflicts: CalendarConflict[] = []
  if (quietMs !== null && whole > quietMs)
    conflicts.push({
      kind: 'longer-than-quiet',
      works: then === undefined ? [work] : [work, then.work],
      at,
      sentence: `${name}${then === undefined ? '' : ` and ${NAMES[then.work]}`} took ${inWords(whole)}, and the quiet hours last ${inWords(quietMs)}. Give them more time.`,
    })
  const [first, second] = own
  if (every !== null && first !== undefined && second !== undefined && second.at - first.at > every * 1.5)
    conflicts.push({
      kind: 'rarer-than-wanted',
      works: [work],
      at,
      sentence: `${name} is wanted every ${inWords(every)}, but may begin in quiet hours only: it runs every ${inWords(second.at - first.at)}.`,
    })
  if (took !== null && every !== null && took > every)
    conflicts.push({
      kind: 'overlap',
      works: [work],
      at,
      sentence: `${name} took ${inWords(took)} and is wanted every ${inWords(every)}: the next one begins late.`,
    })
  return conflicts
}

/**
 * What will run by itself between two moments, and what is in the way of what.
 * @param from and until: ms since 1970
 */
export const calendarOf = (
  works: readonly PlannedWork[],
  from: number,
  until: number,
): { entries: CalendarEntry[]; conflicts: CalendarConflict[] } => {
  const byWork = works.map((one) => ({ one, found: occurrences(one, from, until) }))
  const all = byWork.flatMap(({ found }) => found)
  const counts = new Map<CalendarWork, number>()
  const listed = all
    .toSorted((a, b) => a.at - b.at)
    .filter(({ work, at }) => {
      counts.set(work, (counts.get(work) ?? 0) + 1)
      return at < until && (counts.get(work) ?? 0) <= MOST_OF_EACH
    })
  return {
    entries: listed.map(({ work, at, took }) => ({ work, at: new Date(at).toISOString(), msExpected: took })),
    conflicts: [...overlapOf(all), ...byWork.flatMap(({ one, found }) => ownConflicts(one, found))],
  }
}
