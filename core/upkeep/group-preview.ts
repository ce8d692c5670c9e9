import type { CleanUpGroup, GroupPreview } from '../contracts/clean-up.ts'
import { tableNamed, UnknownInSchema, type DatabaseSchema } from './database-schema.ts'
import { countSql, heldBackSql, keysSql, samplesSql } from './group-sql.ts'
import { groupSentence } from './group-words.ts'
import { TooSlow, type Probe } from './table-profiles.ts'

const SAMPLES = 3
const LONGEST_SAMPLE = 120

const cut = (value: string | null): string | null =>
  value !== null && value.length > LONGEST_SAMPLE ? `${value.slice(0, LONGEST_SAMPLE)}…` : value

/** The rows of a group as they are now. What cannot be counted says why. @throws what the probe throws */
export const previewGroup = async (
  schema: DatabaseSchema,
  probe: Probe,
  group: CleanUpGroup,
  now: Date,
): Promise<GroupPreview> => {
  const scope = { schema, now }
  const nothing = { rows: null, bytes: null, columns: [], samples: [], heldBack: null }
  try {
    const table = tableNamed(schema, group.table)
    const condition = keysSql(scope, group)
    const [counted] = await probe.rows(countSql(scope, group))
    const samples = await probe.rows(samplesSql(scope, group, SAMPLES))
    const held = heldBackSql(scope, group)
    const [heldBack] = held === undefined ? [] : await probe.rows(held)
    return {
      group,
      sentence: groupSentence(group),
      condition,
      rows: Number(counted?.[0] ?? 0),
      bytes: Number(counted?.[1] ?? 0),
      columns: table.columns.map(({ name }) => name),
      samples: samples.map((row) => row.map(cut)),
      heldBack: heldBack === undefined ? null : Number(heldBack[0]),
      problem: null,
    }
  } catch (error) {
    if (error instanceof TooSlow)
      return {
        ...{ group, sentence: groupSentence(group), condition: '', ...nothing },
        problem: 'The table is too large to be counted in two minutes. Narrow the condition, or ask for an index.',
      }
    if (!(error instanceof UnknownInSchema)) throw error
    return { group, sentence: groupSentence(group), condition: '', ...nothing, problem: error.message }
  }
}
