import type { GuidedDecision } from '../../core/contracts/guided.ts'
import type { SafetyResult } from '../../core/contracts/safety.ts'

export const SAFETY_WORDS: Record<SafetyResult, string> = {
  intact: 'intact',
  differs: 'differs',
  broken: 'broken',
  unsteady: 'changes every time',
  unreachable: 'could not be checked',
}

export const DECISION_WORDS: Record<GuidedDecision, string> = {
  kept: 'kept in the trial',
  'no-difference': 'no measurable difference, undone',
  slower: 'slower, undone',
  broken: 'broke the page, undone',
  failed: 'could not be measured, undone',
}
