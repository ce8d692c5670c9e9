import type { CleanUpGroup, Condition, FoundGroup, GroupKind, Referring } from '../contracts/clean-up.ts'
import type { DatabaseSchema } from './database-schema.ts'
import type { SqlDialect } from './sql-dialect.ts'
import type { ColumnProfile, Probe, Reference, TableProfile } from './table-profiles.ts'

/** What visitors were seen to get. */
export interface LiveFacts {
  /** Last parts of addresses that are listed or linked. */
  readonly segments: ReadonlySet<string>
  /** Texts of pages, lower case, spaces as one. */
  readonly texts: readonly string[]
}

/** What looking for groups knows. */
export interface FindContext {
  readonly schema: DatabaseSchema
  readonly dialect: SqlDialect
  readonly profiles: readonly TableProfile[]
  readonly references: readonly Reference[]
  readonly probe: Probe
  readonly now: Date
  readonly live: LiveFacts
}

/** A group that was found, before its rows are counted. */
export interface Finding {
  readonly group: Omit<CleanUpGroup, 'id' | 'name'>
  readonly sure: FoundGroup['sure']
  readonly evidence: readonly string[]
}

/** Rows of content are read by their own address or text; those of one kind never are. */
export const NEVER_READ: ReadonlySet<GroupKind> = new Set<GroupKind>(['revisions'])

export const profileOf = ({ profiles }: FindContext, table: string): TableProfile | undefined =>
  profiles.find((one) => one.table.name === table)

/** A moment column, the better ones first by what the names say. */
export const timesOf = (profile: TableProfile, ...cues: ((words: string) => boolean)[]): ColumnProfile[] => {
  const rank = ({ column }: ColumnProfile): number => {
    const at = cues.findIndex((cue) => cue(column.name))
    return at < 0 ? cues.length : at
  }
  return profile.columns.filter(({ time, filled }) => time !== null && filled > 0).sort((a, b) => rank(a) - rank(b))
}

export const olderThan = ({ column, time }: ColumnProfile, days: number): Condition => ({
  is: 'older',
  column: column.name,
  days,
  form: time ?? 'time',
})

/** What is known to point to a table. What was told by values alone may be chance, and is not counted. */
export const referringTo = ({ references }: FindContext, table: string): Reference[] =>
  references.filter(({ target, by }) => target === table && by !== 'values')

/** Rows that something points to are left alone, unless the database itself was told that what points there goes along. */
export const usualTreatment = ({ table, column, key, onDelete }: Reference): Referring => ({
  table,
  column,
  key,
  treat: onDelete === 'cascade' ? 'remove' : 'stay',
})

/** Columns of prose: what people read. */
export const proseOf = (profile: TableProfile, least: number): ColumnProfile[] =>
  profile.columns.filter(({ column, length }) => column.kind === 'text' && length >= least)

export const share = (part: number, whole: number): number => (whole === 0 ? 0 : part / whole)

/** A share in whole percent. */
export const percent = (part: number, whole: number): string => `${Math.round(share(part, whole) * 100)}%`
