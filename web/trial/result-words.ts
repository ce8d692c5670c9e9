import type { GuidedDecision } from '../../core/contracts/guided.ts'
import type { SafetyResult } from '../../core/contracts/safety.ts'

export const SAFETY_WORDS: Record<SafetyResult, string> = {
  intact: 'intact',
  differs: 'differs',
  broken: 'broken',
  unsteady: 'never the same',
  unreachable: 'not seen',
}

export const DECISION_WORDS: Record<GuidedDecision, string> = {
  kept: 'kept in trial',
  'no-difference': 'no measurable difference, backed out',
  slower: 'slower, backed out',
  broken: 'broke the page, backed out',
  failed: 'could not be measured, backed out',
}
