import type { CleanUpGroup, Condition, GroupKind } from '../contracts/clean-up.ts'

const days = (count: number): string => (count === 1 ? 'one day' : `${count} days`)
const values = (list: readonly unknown[]): string => list.map((value) => `“${String(value)}”`).join(' or ')

const conditionWords = (condition: Condition): string => {
  switch (condition.is) {
    case 'one-of':
      return `${condition.column} is ${values(condition.values)}`
    case 'none-of':
      return `${condition.column} is not ${values(condition.values)}`
    case 'empty':
      return `${condition.column} is empty`
    case 'filled':
      return `${condition.column} is filled in`
    case 'older':
      return condition.days === 0
        ? `${condition.column} has passed`
        : `${condition.column} is more than ${days(condition.days)} ago`
    case 'not-ahead':
      return `${condition.column} is not in the future`
    case 'points-to-nothing':
      return `${condition.column} points to a row of ${condition.table} that is not there`
  }
}

const WHAT: Record<GroupKind, string> = {
  revisions: 'Old revisions',
  drafts: 'Drafts that were never published',
  trash: 'Trash',
  spam: 'Spam',
  expired: 'Temporary records that have expired',
  sessions: 'Sessions that are long over',
  orphans: 'Rows that point to nothing',
  other: 'Rows',
}

/** The usual name of a group. */
export const groupName = (kind: GroupKind, table: string): string => `${WHAT[kind]} in ${table}`

/** What the rows of a group are, in one sentence. */
export const groupSentence = ({ kind, table, where, keep }: CleanUpGroup): string => {
  const which = where.length === 0 ? '' : ` where ${where.map(conditionWords).join(' and ')}`
  if (keep === null) return `${groupName(kind, table)}${which}.`
  const newest = keep.newest === 0 ? 'none' : `the newest ${keep.newest === 1 ? 'one' : keep.newest}`
  const young = keep.youngerThanDays === null ? '' : `, and those younger than ${days(keep.youngerThanDays)}`
  return `${groupName(kind, table)}${which}; of each ${keep.per}, ${newest} stay${young}.`
}
