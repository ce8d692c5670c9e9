import {
  percent,
  profileOf,
  referringTo,
  share,
  usualTreatment,
  type FindContext,
  type Finding,
} from './find-context.ts'
import { tableSql } from './sql-dialect.ts'
import type { Reference, TableProfile } from './table-profiles.ts'

/** When more than this share points nowhere, the column means something else. */
const MOST_LOST = 0.4

/** Rows with and without what they point to. */
const lost = ({ dialect }: FindContext, profile: TableProfile, reference: Reference, target: TableProfile): string => {
  const column = `t.${dialect.name(reference.column)}`
  return `select %, count(*), count(u.${dialect.name(reference.key)}) from ${tableSql(dialect, profile.table)} t left join ${tableSql(dialect, target.table)} u on u.${dialect.name(reference.key)} = ${column} where ${column} is not null and ${dialect.asText(column)} not in ('', '0')`
}

/** Whether a column points to different tables depending on another one: what is missing here is there. */
const isShared = async (
  context: FindContext,
  profile: TableProfile,
  reference: Reference,
  target: TableProfile,
): Promise<boolean> => {
  const { dialect, probe } = context
  for (const { column, values } of profile.columns) {
    if (values === null || values.length < 2 || column.name === reference.column) continue
    const name = dialect.asText(`t.${dialect.name(column.name)}`)
    const rows = await probe.rows(`${lost(context, profile, reference, target).replace('%', name)} group by 1`)
    const shares = rows.map(([, all, there]) => share(Number(there), Number(all)))
    if (shares.some((one) => one <= 0.1) && shares.some((one) => one >= 0.9)) return true
  }
  return false
}

/** Rows that point to rows which are not there any more. What the database itself checks cannot be lost. */
export const findOrphans = async (context: FindContext): Promise<Finding[]> => {
  const found: Finding[] = []
  for (const reference of context.references) {
    if (reference.by !== 'name' || reference.target === reference.table) continue
    const [profile, target] = [profileOf(context, reference.table), profileOf(context, reference.target)]
    if (profile === undefined || target === undefined) continue
    const [row] = await context.probe.rows(lost(context, profile, reference, target).replace('%', 'null'))
    const [all, there] = [Number(row?.[1]), Number(row?.[2])]
    if (all === there || all - there > all * MOST_LOST || (await isShared(context, profile, reference, target)))
      continue
    found.push({
      group: {
        kind: 'orphans',
        table: reference.table,
        where: [{ is: 'points-to-nothing', column: reference.column, table: reference.target, key: reference.key }],
        keep: null,
        referring: referringTo(context, reference.table).map(usualTreatment),
      },
      sure: share(there, all) >= 0.8 ? 'sure' : 'likely',
      evidence: [
        `${reference.column} names a row of ${reference.target} that is there in ${percent(there, all)} of the rows; ${all - there} point to nothing.`,
      ],
    })
  }
  return found
}
