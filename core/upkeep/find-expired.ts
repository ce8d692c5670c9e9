import { singleKey } from './database-schema.ts'
import { olderThan, referringTo, timesOf, usualTreatment, type FindContext, type Finding } from './find-context.ts'
import { hasCue } from './name-words.ts'
import { tableSql } from './sql-dialect.ts'
import type { ColumnProfile, TableProfile } from './table-profiles.ts'

/** Clocks of server and database may be a few hours apart, and so may their time zones. */
const MARGIN_DAYS = 1
/** Sessions without a moment of their own end: nobody comes back after so many days (common practice). */
const SESSION_DAYS = 60

/** Names that programs make up: long, without spaces, letters and digits mixed. */
const MADE_UP = /^[\w./+=:-]{16,}$/

const isMadeUp = (text: string): boolean => MADE_UP.test(text) && /\d/.test(text) && /[a-z]/i.test(text)

/** A column of names that a program made up, each of them once. */
const tokenColumn = async (
  { dialect, probe }: FindContext,
  { table, rows, columns }: TableProfile,
): Promise<ColumnProfile | undefined> => {
  for (const one of columns) {
    const { column, distinct, length } = one
    if (column.kind !== 'text' || distinct < rows * 0.95 || length < 12 || length > 200) continue
    const samples = await probe.rows(
      `select ${dialect.asText(`t.${dialect.name(column.name)}`)} from ${tableSql(dialect, table)} t limit 30`,
    )
    if (samples.length > 0 && samples.filter(([text]) => isMadeUp(text ?? '')).length >= samples.length * 0.8)
      return one
  }
  return undefined
}

/**
 * Whether rows are entries of a cache: named by a text without spaces, with a value and moments, and nothing that is counted or pointed to. What a
 * business records, such as vouchers or memberships, has more.
 */
const isStoreOfValues = ({ table, columns, rows }: TableProfile): boolean => {
  const key = singleKey(table)
  const named = columns.find(
    ({ column, distinct, length, max }) =>
      column.kind === 'text' &&
      length <= 200 &&
      max === null &&
      (column.name === key || (distinct === rows && rows > 1)),
  )
  const others = columns.filter((one) => one !== named && one.time === null && one.column.name !== key)
  return (
    named !== undefined &&
    others.length > 0 &&
    others.every(({ column, values }) => (column.kind === 'text' || column.kind === 'other') && values === null)
  )
}

const seen = async (
  { dialect, probe, now }: FindContext,
  { table }: TableProfile,
  { column, time }: ColumnProfile,
): Promise<{ past: number; ahead: number }> => {
  const name = `t.${dialect.name(column.name)}`
  const moment =
    time === 'time'
      ? dialect.text(now.toISOString().slice(0, 19).replace('T', ' '))
      : String(time === 'seconds' ? Math.floor(now.getTime() / 1000) : now.getTime())
  const [row] = await probe.rows(
    `select coalesce(sum(case when ${name} < ${moment} then 1 else 0 end), 0), coalesce(sum(case when ${name} >= ${moment} then 1 else 0 end), 0) from ${tableSql(dialect, table)} t`,
  )
  return { past: Number(row?.[0]), ahead: Number(row?.[1]) }
}

/** Temporary records, and sessions, whose time has passed. */
export const findExpired = async (context: FindContext): Promise<Finding[]> => {
  const found: Finding[] = []
  for (const profile of context.profiles) {
    const { table } = profile
    if (profile.rows === 0) continue
    const isSession = hasCue(table.name, 'session')
    const isTemporary = hasCue(table.name, 'temporary') || isSession
    const token = await tokenColumn(context, profile)
    const referring = referringTo(context, table.name).map(usualTreatment)
    const expiry = profile.columns.find(({ column, time }) => time !== null && hasCue(column.name, 'expiry'))
    if (
      expiry !== undefined &&
      (isTemporary || (referring.length === 0 && (token !== undefined || isStoreOfValues(profile))))
    ) {
      const { past, ahead } = await seen(context, profile, expiry)
      found.push({
        group: {
          kind: isSession ? 'sessions' : 'expired',
          table: table.name,
          where: [olderThan(expiry, MARGIN_DAYS)],
          keep: null,
          referring,
        },
        sure: isTemporary && referring.length === 0 ? 'sure' : 'likely',
        evidence: [
          `${expiry.column.name} has passed in ${past} rows and is still to come in ${ahead}.`,
          ...(referring.length === 0 ? ['Nothing points to these rows.'] : []),
        ],
      })
      continue
    }
    const [last] = timesOf(
      profile,
      (name) => hasCue(name, 'changed'),
      (name) => hasCue(name, 'created'),
    )
    if (!isSession || token === undefined || last === undefined) continue
    found.push({
      group: { kind: 'sessions', table: table.name, where: [olderThan(last, SESSION_DAYS)], keep: null, referring },
      sure: 'likely',
      evidence: [
        `${token.column.name} holds names that a program made up, each of them once, as sessions have.`,
        `${last.column.name} is the last moment that is known of each.`,
      ],
    })
  }
  return found
}
