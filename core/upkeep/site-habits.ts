import type { SiteHabit } from '../contracts/site-habits.ts'
import { median } from '../stats/median.ts'

/** What was seen of a site without its help. */
export interface HabitFacts {
  readonly fields: ReadonlyMap<string, string>
  /** What the page itself says that it was made with; null: nothing. */
  readonly generator: string | null
  /** How long the page took, ms, several times. */
  readonly pageMs: readonly number[]
  /** The same of a file that needs no computing; empty: there is none. */
  readonly fileMs: readonly number[]
  readonly filePath: string
  /** How long opening a connection took, ms: one round trip. */
  readonly connectMs: number
  readonly protocol: string
  readonly scheme: 'http' | 'https'
}

/** Making a page in less is quick (common practice: the wait of a good page stays below 0.2 s). */
const QUICK_PAGE_MS = 200
/** A file that takes longer than this, round trip aside, waits for a machine that is busy (common practice). */
const SLOW_FILE_MS = 100
/** A round trip within a country (common practice). */
const NEAR_MS = 40

const inMs = (ms: number): string => `${Math.round(ms)} ms`
const inSeconds = (ms: number): number => Math.round(ms / 10) / 100
const times = (values: readonly number[]): string => `measured ${values.map((ms) => inMs(ms)).join(', ')}`

/** Programs that say their version, and those that only say their name. */
const named = (value: string): { readonly name: string; readonly version: string | undefined } => {
  const [, name = value, version] = /^([^\d/]*[^\d/\s])[\s/]*v?(\d[\w.-]*)?/i.exec(value.trim()) ?? []
  return { name, version }
}

const programHabit = (
  topic: 'content-system' | 'language' | 'server',
  what: string,
  field: string,
  value: string,
): SiteHabit => {
  const { name, version } = named(value)
  return {
    topic,
    sentence:
      version === undefined
        ? `${what} is ${name}; which version is not visible from here.`
        : `${what} is ${name} ${version}, and says so to everybody. Check whether that is still kept up to date; newer ones are commonly faster.`,
    evidence: [`${field}: ${value}`],
    seconds: null,
  }
}

const waitHabits = ({ pageMs, fileMs, filePath, connectMs }: HabitFacts): SiteHabit[] => {
  const page = median(pageMs)
  if (fileMs.length === 0) return []
  const file = median(fileMs)
  const making = Math.max(0, page - file)
  const own = Math.max(0, file - 2 * connectMs)
  return [
    {
      topic: 'page-making',
      sentence:
        making <= QUICK_PAGE_MS
          ? `Making the page takes ${inMs(making)}, which is quick.`
          : `Making the page takes ${inMs(making)} more than sending a file that needs no computing. Stored pages spare visitors this; extensions and queries are where it goes.`,
      evidence: [`page: ${times(pageMs)}`, `${filePath}: ${times(fileMs)}`],
      seconds: inSeconds(making),
    },
    {
      topic: 'file-wait',
      sentence:
        own <= SLOW_FILE_MS
          ? `A file that needs no computing waits ${inMs(own)} at the server, which is quick.`
          : `Even a file that needs no computing waits ${inMs(own)} at the server. The machine is busy or slow; no change to the site helps there, another machine does.`,
      evidence: [`${filePath}: ${times(fileMs)}`, `one round trip: ${inMs(connectMs)}`],
      seconds: inSeconds(own),
    },
  ]
}

const wayHabits = ({ connectMs, protocol, scheme }: HabitFacts): SiteHabit[] => [
  {
    topic: 'distance',
    sentence:
      connectMs <= NEAR_MS
        ? `A round trip from this machine to the server takes ${inMs(connectMs)}: it is near.`
        : `A round trip from this machine to the server takes ${inMs(connectMs)}. A first visit needs several; an edge near your visitors shortens each.`,
    evidence: [`connection opened in ${inMs(connectMs)}`],
    seconds: inSeconds(connectMs),
  },
  ...(scheme === 'https' && protocol !== 'h2'
    ? [
        {
          topic: 'protocol' as const,
          sentence: `The server speaks ${protocol.toUpperCase()}: browsers load at most six files at a time from it. Delivery speaks HTTP/2 in front of it.`,
          evidence: [`protocol: ${protocol}`],
          seconds: null,
        },
      ]
    : []),
]

/** What can be seen from outside of how a site is run: nothing is guessed. */
export const siteHabits = (facts: HabitFacts): SiteHabit[] => {
  const { fields, generator } = facts
  const [language, server] = [fields.get('x-powered-by'), fields.get('server')]
  return [
    ...waitHabits(facts),
    ...wayHabits(facts),
    ...(generator === null ? [] : [programHabit('content-system', 'The content system', 'meta generator', generator)]),
    ...(language === undefined ? [] : [programHabit('language', 'What makes the pages', 'X-Powered-By', language)]),
    ...(server === undefined ? [] : [programHabit('server', 'The web server', 'Server', server)]),
  ]
}
