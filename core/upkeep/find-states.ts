import type { Condition, GroupKind } from '../contracts/clean-up.ts'
import {
  olderThan,
  percent,
  profileOf,
  referringTo,
  share,
  timesOf,
  usualTreatment,
  type FindContext,
  type Finding,
} from './find-context.ts'
import { conditionSql } from './group-sql.ts'
import { hasCue, type Cue } from './name-words.ts'
import { tableSql } from './sql-dialect.ts'
import type { ColumnProfile, TableProfile } from './table-profiles.ts'

/** Days after which nobody is expected to come back for such rows; the owner can change them. */
const DAYS = { trash: 30, spam: 30, drafts: 180 } as const
type StateKind = keyof typeof DAYS
const CUE: Record<StateKind, Cue> = { trash: 'trash', spam: 'spam', drafts: 'draft' }
const KINDS = Object.keys(DAYS) as StateKind[]

interface State {
  readonly kind: StateKind
  readonly where: Condition
  readonly evidence: string
  readonly rows: number
  /** The moment that is the state, where it is one. */
  readonly since: ColumnProfile | undefined
}

/** What the numbers of a column stand for, where another table says it. */
const lookedUp = async (context: FindContext, profile: TableProfile, column: string): Promise<Map<string, string>> => {
  const { dialect, probe, references } = context
  const reference = references.find(
    (one) => one.table === profile.table.name && one.column === column && one.target !== one.table,
  )
  const target = reference === undefined ? undefined : profileOf(context, reference.target)
  const word = target?.columns.find((one) => one.column.kind === 'text' && one.column.name !== reference?.key)
  if (reference === undefined || target === undefined || word === undefined || target.rows > 30) return new Map()
  const rows = await probe.rows(
    `select ${dialect.asText(dialect.name(reference.key))}, ${dialect.asText(dialect.name(word.column.name))} from ${tableSql(dialect, target.table)}`,
  )
  return new Map(rows.map(([key, text]) => [key ?? '', text ?? '']))
}

const TRUE = new Set(['true', 't', '1', 'yes', 'y'])

const byValue = async (
  context: FindContext,
  profile: TableProfile,
  { column, values }: ColumnProfile,
): Promise<State[]> => {
  if (values === null) return []
  const words = await lookedUp(context, profile, column.name)
  return values.flatMap(({ value, rows }) =>
    KINDS.filter((kind) => hasCue(words.get(value) ?? value, CUE[kind])).map((kind) => ({
      kind,
      where: { is: 'one-of' as const, column: column.name, values: [value] },
      evidence: `${rows} of ${profile.rows} rows have “${words.get(value) ?? value}” in ${column.name}.`,
      rows,
      since: undefined,
    })),
  )
}

/** Columns whose name is the state: a truth such as `is_spam`, or a moment such as `deleted_at` that most rows do not have. */
const byName = (profile: TableProfile): State[] =>
  profile.columns.flatMap((one): State[] => {
    const kind = KINDS.find((each) => hasCue(one.column.name, CUE[each]))
    if (kind === undefined) return []
    const { column, filled, values } = one
    if (one.time !== null && kind !== 'drafts' && filled < profile.rows && filled > 0)
      return [
        {
          kind,
          where: { is: 'filled', column: column.name },
          evidence: `${filled} of ${profile.rows} rows have a moment in ${column.name}; all others have none.`,
          rows: filled,
          since: one,
        },
      ]
    const yes = values?.find(({ value }) => TRUE.has(value.toLowerCase()))
    if (yes === undefined || values === null || values.length > 2) return []
    return [
      {
        kind,
        where: { is: 'one-of', column: column.name, values: [yes.value] },
        evidence: `${yes.rows} of ${profile.rows} rows say yes in ${column.name}.`,
        rows: yes.rows,
        since: undefined,
      },
    ]
  })

/** What was planned, or was public once, is not a draft that nobody came back to. */
const neverPublic = (profile: TableProfile, now: Date): Condition[] =>
  profile.columns.flatMap(({ column, time, filled, max }): Condition[] => {
    if (time === null || hasCue(column.name, 'trash')) return []
    if (hasCue(column.name, 'published') && filled < profile.rows) return [{ is: 'empty', column: column.name }]
    const isAhead = time !== 'time' && max !== null && Number(max) > now.getTime() / (time === 'seconds' ? 1000 : 1)
    return isAhead || time === 'time' ? [{ is: 'not-ahead', column: column.name, form: time }] : []
  })

/** A moment that nearly all rows of a state have, the most telling one first. */
const ageOf = async (
  context: FindContext,
  profile: TableProfile,
  { kind, where }: State,
): Promise<ColumnProfile | undefined> => {
  const { dialect, probe, schema, now } = context
  const times = timesOf(
    profile,
    (name) => kind === 'trash' && hasCue(name, 'trash'),
    (name) => hasCue(name, 'changed'),
    (name) => hasCue(name, 'created') && !hasCue(name, 'published'),
  )
  const condition = conditionSql({ schema, now }, profile.table, where)
  for (const time of times) {
    const [row] = await probe.rows(
      `select count(*), count(t.${dialect.name(time.column.name)}) from ${tableSql(dialect, profile.table)} t where ${condition}`,
    )
    if (share(Number(row?.[1]), Number(row?.[0])) >= 0.9) return time
  }
  return undefined
}

const finding = async (context: FindContext, profile: TableProfile, state: State): Promise<Finding> => {
  const { kind, where, evidence, rows, since } = state
  const age = since ?? (await ageOf(context, profile, state))
  const plans =
    kind === 'drafts' ? neverPublic(profile, context.now).filter((one) => one.column !== age?.column.name) : []
  const mostly = rows > profile.rows * 0.7 && kind !== 'spam'
  return {
    group: {
      kind: kind satisfies GroupKind,
      table: profile.table.name,
      where: [where, ...(age === undefined ? [] : [olderThan(age, DAYS[kind])]), ...plans],
      keep: null,
      referring: referringTo(context, profile.table.name).map(usualTreatment),
    },
    sure: sureness(kind, mostly || age === undefined),
    evidence: [
      evidence,
      ...(age === undefined ? ['No column says since when, so age cannot be told.'] : []),
      ...(mostly ? [`That is ${percent(rows, profile.rows)} of the table, more than usual.`] : []),
    ],
  }
}

const sureness = (kind: StateKind, isDoubtful: boolean): Finding['sure'] => {
  if (isDoubtful) return 'unsure'
  return kind === 'drafts' ? 'likely' : 'sure'
}

/** Trash, spam and forgotten drafts: told by what a state is called, never by age alone. */
export const findStates = async (context: FindContext): Promise<Finding[]> => {
  const found: Finding[] = []
  for (const profile of context.profiles) {
    const states = [
      ...byName(profile),
      ...(await Promise.all(profile.columns.map((column) => byValue(context, profile, column)))).flat(),
    ]
    // A column may be one of both sorts; one proposal for the same rows is enough.
    const kinds = new Map<string, State>()
    for (const state of states) {
      const mark = `${state.kind} ${state.where.column} ${JSON.stringify('values' in state.where ? state.where.values : '')}`
      if (state.rows > 0 && !kinds.has(mark)) kinds.set(mark, state)
    }
    for (const state of kinds.values()) found.push(await finding(context, profile, state))
  }
  return found
}
