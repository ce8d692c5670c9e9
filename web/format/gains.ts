import type { MeasuredGain } from '../../core/catalogue/measured-gain.ts'
import { seconds } from './show.ts'

/** A measured gain in words; one whose interval includes zero is none that could be measured. */
export const measuredInWords = ({ shift, low, high }: MeasuredGain): string => {
  if (low <= 0 && high >= 0) return 'no measurable difference'
  return shift >= 0 ? `${seconds(shift)} faster` : `${seconds(-shift)} slower`
}
