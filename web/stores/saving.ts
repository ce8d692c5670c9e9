import { ref, type Ref } from 'vue'
import { useProblems } from './problems.ts'
import { useSites } from './sites.ts'

/**
 * Saving something that belongs to a site: while it goes on `saving` is true, what goes wrong is shown, and afterwards the sites are
 * loaded again, so that every view stands on what was kept.
 */
export const useSaving = (send: () => Promise<unknown>): { saving: Ref<boolean>; save: () => Promise<void> } => {
  const sites = useSites()
  const problems = useProblems()
  const saving = ref(false)
  const save = async (): Promise<void> => {
    saving.value = true
    try {
      await problems.catching(async () => {
        await send()
        await sites.load()
      })
    } finally {
      saving.value = false
    }
  }
  return { saving, save }
}
