import type { LcpPhases } from '../../core/contracts/measuring.ts'

/** The four parts of the time to the main content, in words. */
export const LCP_PHASE_NAMES: Record<keyof LcpPhases, string> = {
  waitMs: 'waiting for the page',
  discoveryMs: 'until its download began',
  downloadMs: 'download',
  renderMs: 'until it was shown',
}
