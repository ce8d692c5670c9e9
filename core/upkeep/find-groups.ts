import type { CleanUpGroup, FoundGroup } from '../contracts/clean-up.ts'
import type { DatabaseSchema } from './database-schema.ts'
import { NEVER_READ, profileOf, referringTo, type FindContext, type Finding, type LiveFacts } from './find-context.ts'
import { findExpired } from './find-expired.ts'
import { findOrphans } from './find-orphans.ts'
import { findRevisions } from './find-revisions.ts'
import { findStates } from './find-states.ts'
import { previewGroup } from './group-preview.ts'
import { samplesSql } from './group-sql.ts'
import { groupName } from './group-words.ts'
import { dialectOf } from './sql-dialect.ts'
import { findReferences, profileTable, TooSlow, type Probe, type TableProfile } from './table-profiles.ts'

/** Rows whose addresses and texts are looked for on the pages. */
const ROWS_LOOKED_FOR = 300
/** A text of this length does not turn up by chance. */
const TELLING_LENGTH = 30

const plain = (text: string): string =>
  text
    .toLowerCase()
    .replaceAll(/<[^<>]*>/g, ' ')
    .replaceAll(/\s+/g, ' ')
    .trim()

/** Where a row of a group was seen by visitors; undefined: nowhere. */
const seenLive = async (context: FindContext, group: CleanUpGroup): Promise<string | undefined> => {
  const { live, probe, schema, now } = context
  const columns = profileOf(context, group.table)?.table.columns ?? []
  // What names another row is not the address of this one.
  const pointing = new Set(context.references.filter(({ table }) => table === group.table).map(({ column }) => column))
  if (live.segments.size === 0 && live.texts.length === 0) return undefined
  for (const row of await probe.rows(samplesSql({ schema, now }, group, ROWS_LOOKED_FOR)))
    for (const [at, value] of row.entries()) {
      const column = columns[at]
      if (column?.kind !== 'text' || value === null || pointing.has(column.name)) continue
      if (value.length >= 4 && live.segments.has(value.toLowerCase())) return `an address ends in “${value}”`
      const text = plain(value)
      if (text.length >= TELLING_LENGTH && live.texts.some((page) => page.includes(text.slice(0, 190))))
        return `a page shows “${text.slice(0, 60)}…”`
    }
  return undefined
}

const idOf = ({ group }: Finding, taken: Set<string>): string => {
  const wish = `${group.kind}-${group.table}`.replaceAll(/[^\w-]+/g, '-').slice(0, 80)
  let id = wish
  for (let n = 2; taken.has(id); n++) id = `${wish}-${n}`
  taken.add(id)
  return id
}

/** Earlier states of an item go along with it: without it they are states of nothing. */
const withRevisions = (finding: Finding, findings: readonly Finding[], context: FindContext): Finding => {
  const revisions = findings.filter(({ group }) => group.kind === 'revisions')
  if (finding.group.kind === 'revisions') return finding
  const referring = finding.group.referring.map((one) =>
    revisions.some(({ group }) => group.table === one.table && group.keep?.per === one.column) &&
    // What points to them would point to nothing.
    referringTo(context, one.table).every(({ table }) => table === finding.group.table || table === one.table)
      ? { ...one, treat: 'remove' as const }
      : one,
  )
  return { ...finding, group: { ...finding.group, referring } }
}

const FINDERS = [
  ['Old revisions', findRevisions],
  ['Trash, spam and drafts', findStates],
  ['Temporary records', findExpired],
  ['Rows that point to nothing', findOrphans],
] as const

/** @returns undefined when the database may not be kept busy for so long */
const unlessTooSlow = async <T>(act: () => Promise<T>): Promise<T | undefined> => {
  try {
    return await act()
  } catch (error) {
    if (error instanceof TooSlow) return undefined
    throw error
  }
}

/** Rows of which one proposal is made already need no other. */
const FEWEST_ROWS = 1

export interface Found {
  readonly profiles: readonly TableProfile[]
  readonly groups: FoundGroup[]
  /** What looked like a group and is none. */
  readonly leftAlone: string[]
}

/**
 * Find what can go from a content database: by what states, columns and tables are called, and by what the rows say. Nothing is proposed that was seen on
 * a live page, and nothing for its age alone.
 * @param progress told before each table; @throws what the probe throws
 */
export const findGroups = async (
  schema: DatabaseSchema,
  probe: Probe,
  { now, live, progress }: { now: Date; live: LiveFacts; progress?: (table: string) => Promise<void> },
): Promise<Found> => {
  const profiles: TableProfile[] = []
  const [groups, leftAlone, taken]: [FoundGroup[], string[], Set<string>] = [[], [], new Set()]
  for (const table of schema.tables) {
    await progress?.(table.name)
    const profile = await unlessTooSlow(() => profileTable(schema, table, probe))
    if (profile === undefined)
      leftAlone.push(`${table.name}: the table is too large to be looked through in two minutes.`)
    else profiles.push(profile)
  }
  const references = await findReferences(schema, profiles, probe)
  const context: FindContext = { schema, dialect: dialectOf(schema.engine), profiles, references, probe, now, live }
  const findings: Finding[] = []
  for (const [what, find] of FINDERS) {
    const some = await unlessTooSlow(() => find(context))
    if (some === undefined) leftAlone.push(`${what}: looking for them took too long on these tables.`)
    else findings.push(...some)
  }
  for (const finding of findings.map((one) => withRevisions(one, findings, context))) {
    const { kind, table } = finding.group
    if (profileOf(context, table)?.table.key.length === 0) {
      leftAlone.push(
        `${groupName(kind, table)}: the table has no primary key, so single rows cannot be removed or put back safely.`,
      )
      continue
    }
    const group: CleanUpGroup = { ...finding.group, id: idOf(finding, taken), name: groupName(kind, table) }
    const preview = await previewGroup(schema, probe, group, now)
    if ((preview.rows ?? FEWEST_ROWS) < FEWEST_ROWS && (preview.heldBack ?? 0) === 0) continue
    const seen = NEVER_READ.has(kind) ? undefined : await seenLive(context, group)
    if (seen === undefined) groups.push({ ...preview, sure: finding.sure, evidence: [...finding.evidence] })
    else leftAlone.push(`${groupName(kind, table)}: visitors read some of these rows (${seen}).`)
  }
  return { profiles, groups: groups.sort((a, b) => (b.bytes ?? 0) - (a.bytes ?? 0)), leftAlone }
}
