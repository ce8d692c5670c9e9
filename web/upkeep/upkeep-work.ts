import { computed, ref, watch } from 'vue'
import { Job } from '../../core/contracts/jobs.ts'
import { callApi } from '../api/client.ts'
import { PICTURES, UPKEEP, useJobs } from '../stores/jobs.ts'
import { useProblems } from '../stores/problems.ts'

const KINDS: Record<'database' | 'pictures' | 'habits', ReadonlySet<Job['kind']>> = {
  database: new Set(UPKEEP),
  pictures: new Set(PICTURES),
  habits: new Set(['habits-look']),
}

/**
 * Work on the database, the pictures or the habits of a site: what is under way, and ordering more of it.
 * @param whenDone told when something has ended
 */
export const useUpkeepWork = (
  siteId: () => string,
  whenDone: () => Promise<void>,
  on: keyof typeof KINDS = 'database',
) => {
  const jobs = useJobs()
  const problems = useProblems()
  const ordering = ref('')
  const job = computed(() =>
    jobs.jobs.find(
      (one) =>
        one.siteId === siteId() && KINDS[on].has(one.kind) && (one.state === 'queued' || one.state === 'running'),
    ),
  )
  watch(
    () => job.value?.id,
    async (_id, before) => {
      if (before !== undefined) await whenDone()
    },
  )
  /** @param what the button, so that it shows that it was pressed */
  const order = async (what: string, path: string, body?: unknown): Promise<void> => {
    ordering.value = what
    const ordered = await problems.catching(() => callApi('POST', `/sites/${siteId()}/${on}/${path}`, Job, body))
    ordering.value = ''
    if (ordered !== undefined) jobs.take(ordered)
  }
  return { job, order, ordering }
}
