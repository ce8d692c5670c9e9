import type { LedgerDecision } from '../../core/contracts/ledger.ts'

/** What was decided of something that was tried; nothing for what needed no decision. */
export const DECISION_NAMES: Record<LedgerDecision, string> = {
  open: 'undecided',
  kept: 'kept',
  'kept-in-trial': 'kept in trial',
  'backed-out': 'backed out',
  none: '',
}
