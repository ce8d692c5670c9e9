import type { Condition, Referring } from '../contracts/clean-up.ts'
import { singleKey } from './database-schema.ts'
import {
  percent,
  profileOf,
  proseOf,
  referringTo,
  share,
  timesOf,
  usualTreatment,
  type FindContext,
  type Finding,
} from './find-context.ts'
import { hasCue, nameWords } from './name-words.ts'
import { tableSql } from './sql-dialect.ts'
import type { ColumnProfile, Reference, TableProfile } from './table-profiles.ts'
import { likeness } from './text-likeness.ts'

/** Prose of this many characters can be compared. */
const PROSE = 40
const ITEMS_LOOKED_AT = 12
const ROWS_PER_ITEM = 6
/** Two states of one text have most of their word pairs in common; two texts of one author have few. */
const ALIKE = 0.4
const SHARE_ALIKE = 0.7
const CHARACTERS = 4000

/** The proposal an owner can change: the newest two, and what is younger than a month. */
const KEEP = { newest: 2, youngerThanDays: 30 }

const comparedTexts = (profile: TableProfile, { dialect }: FindContext, alias: string): string =>
  proseOf(profile, PROSE)
    .map(
      ({ column }) => `coalesce(left(${dialect.asText(`${alias}.${dialect.name(column.name)}`)}, ${CHARACTERS}), '')`,
    )
    .reduce((all, one) => `concat(${all}, ' ', ${one})`)

/** By what rows of one item are put in order. */
const orderOf = (
  profile: TableProfile,
): { by: string; form: 'time' | 'seconds' | 'milliseconds' | null } | undefined => {
  const [time] = timesOf(
    profile,
    (name) => hasCue(name, 'created'),
    (name) => hasCue(name, 'changed'),
  )
  if (time !== undefined) return { by: time.column.name, form: time.time }
  const key = singleKey(profile.table)
  const number = profile.columns.find(
    ({ column }) =>
      column.kind === 'number' &&
      (column.name === key ||
        nameWords(column.name).some((word) => ['version', 'revision', 'number', 'nr', 'seq'].includes(word))),
  )
  return number === undefined ? undefined : { by: number.column.name, form: null }
}

/** Rows whose state says that they are the ones in use: about one for each item. */
const inUse = async (context: FindContext, profile: TableProfile, reference: Reference): Promise<Condition[]> => {
  const { dialect, probe } = context
  const table = tableSql(dialect, profile.table)
  const per = dialect.name(reference.column)
  const [items] = await probe.rows(`select count(distinct ${per}) from ${table}`)
  const conditions: Condition[] = []
  for (const { column, values } of profile.columns) {
    if (values === null || values.length < 2 || column.name === reference.column) continue
    const counted = await probe.rows(
      `select ${dialect.asText(`t.${dialect.name(column.name)}`)}, count(*), count(distinct t.${per}) from ${table} t where t.${per} is not null group by 1`,
    )
    const marks = counted.filter(
      ([value, rows, of]) =>
        value !== null && value !== '' && rows === of && share(Number(of), Number(items?.[0])) >= 0.8,
    )
    // Where several values are of that sort, none of them tells anything.
    const [mark] = marks
    if (marks.length === 1 && mark?.[0] !== undefined && mark[0] !== null && Number(items?.[0]) > 3)
      conditions.push({ is: 'none-of', column: column.name, values: [mark[0]] })
  }
  return conditions
}

/** Columns of the items that name one of their own revisions, as the one that is in use. */
const pointers = async (context: FindContext, profile: TableProfile, reference: Reference): Promise<Referring[]> => {
  const { dialect, probe } = context
  const key = singleKey(profile.table)
  const items = profileOf(context, reference.target)
  if (key === undefined || items === undefined || reference.target === reference.table) return []
  const keyKind = profile.columns.find(({ column }) => column.name === key)?.column.kind
  const found: Referring[] = []
  for (const { column, filled } of items.columns) {
    if (column.kind !== keyKind || filled === 0 || column.name === reference.key) continue
    const name = dialect.name(column.name)
    const [row] = await probe.rows(
      `select count(*), coalesce(sum(case when r.${dialect.name(reference.column)} = i.${dialect.name(reference.key)} then 1 else 0 end), 0) from ${tableSql(dialect, items.table)} i join ${tableSql(dialect, profile.table)} r on r.${dialect.name(key)} = i.${name}`,
    )
    if (
      Number(row?.[0]) > 0 &&
      share(Number(row?.[1]), Number(row?.[0])) >= 0.9 &&
      share(Number(row?.[0]), filled) >= 0.5
    )
      found.push({ table: items.table.name, column: column.name, key, treat: 'stay' })
  }
  return found
}

/** How many of the items with most rows have rows that are states of one text. */
const alikeShare = async (
  context: FindContext,
  profile: TableProfile,
  reference: Reference,
  order: string,
): Promise<{ alike: number; items: number }> => {
  const { dialect, probe } = context
  const table = tableSql(dialect, profile.table)
  const per = dialect.name(reference.column)
  const rows = await probe.rows(
    `select ${dialect.asText(`n.${per}`)}, n.compared from (select t.${per}, ${comparedTexts(profile, context, 't')} as compared, row_number() over (partition by t.${per} order by t.${dialect.name(order)} desc) as place from ${table} t join (select ${per} from ${table} where ${per} is not null group by ${per} having count(*) > 1 order by count(*) desc limit ${ITEMS_LOOKED_AT}) m on m.${per} = t.${per}) n where n.place <= ${ROWS_PER_ITEM} order by n.${per}, n.place`,
  )
  const items = new Map<string, string[]>()
  for (const [item, text] of rows) items.set(item ?? '', [...(items.get(item ?? '') ?? []), text ?? ''])
  const alike = [...items.values()].filter((texts) => {
    const pairs = texts.slice(1).map((text, at) => likeness(texts[at] ?? '', text))
    return pairs.length > 0 && pairs.filter((one) => one >= ALIKE).length >= pairs.length * SHARE_ALIKE
  }).length
  return { alike, items: items.size }
}

/** Tables whose rows are earlier states of the rows of another table. */
const inOwnTable = async (
  context: FindContext,
  profile: TableProfile,
  reference: Reference,
): Promise<Finding | undefined> => {
  const { dialect, probe } = context
  const order = orderOf(profile)
  if (order === undefined || proseOf(profile, PROSE).length === 0) return undefined
  const per = dialect.name(reference.column)
  const [counts] = await probe.rows(
    `select count(*), coalesce(sum(n), 0), coalesce(max(n), 0) from (select count(*) as n from ${tableSql(dialect, profile.table)} where ${per} is not null group by ${per}) g`,
  )
  const [items, rows, most] = (counts ?? []).map(Number) as [number, number, number]
  if (items === 0 || most <= KEEP.newest || rows / items < 1.5) return undefined
  const { alike, items: looked } = await alikeShare(context, profile, reference, order.by)
  if (looked === 0 || alike < looked * SHARE_ALIKE) return undefined
  const referring = [
    ...(await pointers(context, profile, reference)),
    ...referringTo(context, profile.table.name).map(usualTreatment),
  ]
  return {
    group: {
      kind: 'revisions',
      table: profile.table.name,
      where: await inUse(context, profile, reference),
      keep: { per: reference.column, by: order.by, form: order.form, ...KEEP },
      referring: referring.filter(
        (one, at) => referring.findIndex((other) => other.table === one.table && other.column === one.column) === at,
      ),
    },
    sure: alike === looked && order.form !== null ? 'sure' : 'likely',
    evidence: [
      `${profile.table.name} holds ${rows} rows for ${items} rows of ${reference.target}, up to ${most} for one of them.`,
      `In ${alike} of ${looked} that were compared, one row after the other holds nearly the same text.`,
      ...referring
        .filter(({ table }) => table === reference.target)
        .map(({ table, column }) => `${table}.${column} names the one in use; it stays.`),
    ],
  }
}

/** How many rows of a state hold nearly the text of the row that they point to. */
const alikeToTheirs = async (
  context: FindContext,
  profile: TableProfile,
  reference: Reference,
  state: ColumnProfile,
  value: string,
): Promise<{ alike: number; rows: number }> => {
  const { dialect, probe } = context
  const table = tableSql(dialect, profile.table)
  const ownKey = `t.${dialect.name(reference.key)}`
  const compared = await probe.rows(
    `select ${comparedTexts(profile, context, 't')}, ${comparedTexts(profile, context, 'u')} from ${table} t join ${table} u on u.${dialect.name(reference.key)} = t.${dialect.name(reference.column)} where ${dialect.asText(`t.${dialect.name(state.column.name)}`)} = ${dialect.text(value)} and u.${dialect.name(reference.key)} <> ${ownKey} limit 40`,
  )
  return {
    alike: compared.filter(([one, other]) => likeness(one ?? '', other ?? '') >= ALIKE).length,
    rows: compared.length,
  }
}

/** Earlier states that stand in the table of the items themselves, told apart by a state. */
const amongItems = async (context: FindContext, profile: TableProfile, reference: Reference): Promise<Finding[]> => {
  const { dialect, probe } = context
  const order = orderOf(profile)
  if (order === undefined || proseOf(profile, PROSE).length === 0) return []
  const found: Finding[] = []
  for (const state of profile.columns) {
    if (state.values === null || state.values.length < 2 || state.column.name === reference.column) continue
    for (const { value, rows } of state.values) {
      if (
        rows < 3 ||
        (found.length > 0 && found.some(({ group }) => group.where.some((one) => one.column !== state.column.name)))
      )
        continue
      const [filled] = await probe.rows(
        `select count(*) from ${tableSql(dialect, profile.table)} t where ${dialect.asText(`t.${dialect.name(state.column.name)}`)} = ${dialect.text(value)} and t.${dialect.name(reference.column)} is not null and ${dialect.asText(`t.${dialect.name(reference.column)}`)} not in ('', '0')`,
      )
      if (share(Number(filled?.[0]), rows) < 0.95) continue
      const { alike, rows: looked } = await alikeToTheirs(context, profile, reference, state, value)
      if (looked === 0 || alike < looked * SHARE_ALIKE) continue
      found.push({
        group: {
          kind: 'revisions',
          table: profile.table.name,
          where: [{ is: 'one-of', column: state.column.name, values: [value] }],
          keep: { per: reference.column, by: order.by, form: order.form, ...KEEP },
          referring: referringTo(context, profile.table.name).map(usualTreatment),
        },
        sure: alike === looked && order.form !== null ? 'sure' : 'likely',
        evidence: [
          `${rows} rows have “${value}” in ${state.column.name}, and ${percent(Number(filled?.[0]), rows)} of them point to another row of the table.`,
          `${alike} of ${looked} that were compared hold nearly the text of the row they point to.`,
        ],
      })
    }
  }
  return found
}

/** Earlier states of the same item: found by what they say, not by what they are called. */
export const findRevisions = async (context: FindContext): Promise<Finding[]> => {
  const found: Finding[] = []
  for (const profile of context.profiles) {
    const own = context.references.filter(({ table }) => table === profile.table.name)
    for (const reference of own.filter(({ target }) => target === profile.table.name))
      found.push(...(await amongItems(context, profile, reference)))
    if (found.some(({ group }) => group.table === profile.table.name)) continue
    const others = own.filter(
      ({ target, column, by }) =>
        target !== profile.table.name &&
        !singleKeyIs(profile, column) &&
        (by !== 'values' || isAlwaysFilled(profile, column)),
    )
    for (const reference of others.sort((a, b) => ORDER.indexOf(a.by) - ORDER.indexOf(b.by))) {
      const finding = await inOwnTable(context, profile, reference)
      if (finding === undefined) continue
      found.push(finding)
      break
    }
  }
  return found
}

const ORDER: readonly Reference['by'][] = ['declared', 'name', 'values']
/** Told by values alone, it may be chance; earlier states at least always belong to something. */
const isAlwaysFilled = ({ rows, columns }: TableProfile, name: string): boolean =>
  columns.some(({ column, filled }) => column.name === name && filled === rows)
const singleKeyIs = ({ table }: TableProfile, column: string): boolean => singleKey(table) === column
