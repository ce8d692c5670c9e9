import { useRouter } from 'vue-router'
import type { Site } from '../../core/contracts/sites.ts'
import { DEFAULT_RUNS } from '../../core/contracts/measurements.ts'
import { firstChoice } from '../../core/measuring/first-choice.ts'
import { useSaving } from '../stores/saving.ts'
import { useSite } from '../stores/site.ts'

/** The first measurement of a site, with one press of a button: its server as it is, and then on to the results. */
export const useBaseline = (site: () => Site) => {
  const siteData = useSite()
  const router = useRouter()
  const { saving, save } = useSaving(async () => {
    const { id } = await siteData.measure({ sides: ['origin'], ...firstChoice(site(), DEFAULT_RUNS) })
    await router.push({ name: 'measurement', params: { siteId: site().id, measurementId: id } })
  })
  return { starting: saving, start: save }
}
