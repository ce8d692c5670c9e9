import { defineStore } from 'pinia'
import { computed, shallowRef } from 'vue'
import { PageChanges } from '../../core/contracts/delivery.ts'
import { Findings, type PredictedGain, type RemedyEvidence } from '../../core/contracts/findings.ts'
import { isSignificant } from '../../core/audit/significance.ts'
import { median } from '../../core/stats/median.ts'
import { callApi } from '../api/client.ts'
import { seconds } from '../format/show.ts'

/** What is slow on the open site, and what each remedy would be worth. */
export const useFindings = defineStore('findings', () => {
  const findings = shallowRef<Findings | null>(null)
  let asked = ''

  const load = async (siteId: string): Promise<void> => {
    if (asked !== siteId) findings.value = null
    asked = siteId
    const found = await callApi('GET', `/sites/${siteId}/findings`, Findings)
    if (asked === siteId) findings.value = found
  }
  const byRemedy = computed(
    () => new Map((findings.value?.remedies ?? []).map((one): [string, RemedyEvidence] => [one.remedy, one])),
  )
  const changesOf = (
    siteId: string,
    query: { channel: 'live' | 'trial'; path: string; device: 'phone' | 'laptop' },
  ): Promise<PageChanges> => callApi('POST', `/sites/${siteId}/changes`, PageChanges, query)

  return { findings, byRemedy, load, changesOf }
})

/** Gains of one visitor over the pages that were looked at: the median. */
export const gainOf = (
  gains: readonly PredictedGain[],
  visitorId: string,
  figure: 'fcpMs' | 'lcpMs' | 'loadedMs',
): number | null => {
  const own = gains.filter((one) => one.visitorId === visitorId).map(({ gain }) => gain[figure])
  return own.length === 0 ? null : median(own)
}

/** A gain in words: "1.7 s faster", "no gain". */
export const gainInWords = (ms: number | null): string => {
  if (ms === null) return '–'
  if (!isSignificant(ms)) return 'no gain'
  return ms > 0 ? `${seconds(ms)} faster` : `${seconds(-ms)} slower`
}
