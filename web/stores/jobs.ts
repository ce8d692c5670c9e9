import { defineStore } from 'pinia'
import { computed, shallowRef } from 'vue'
import { z } from 'zod'
import { Job } from '../../core/contracts/jobs.ts'
import { callApi } from '../api/client.ts'

/** Work on the database, and looking at how the site is run: one at a time, beside everything else. */
export const UPKEEP = ['database-survey', 'database-backup', 'clean-up', 'database-restore', 'habits-look'] as const

/** Work on pictures, likewise. */
export const PICTURES = ['picture-survey', 'picture-conversion', 'picture-placing'] as const

/** Work that keeps nothing else from being ordered. */
const BESIDE: ReadonlySet<Job['kind']> = new Set([
  'warm-up',
  'simulation',
  'objects-fill',
  'certificate',
  'live-check',
  'server-pages',
  ...UPKEEP,
  ...PICTURES,
])

const isOpen = ({ state }: Job): boolean => state === 'queued' || state === 'running'

/** Work that takes its time, with progress. */
export const useJobs = defineStore('jobs', () => {
  const jobs = shallowRef<readonly Job[]>([])
  const open = computed(() => jobs.value.filter(isOpen))

  const load = async (): Promise<void> => {
    jobs.value = await callApi('GET', '/jobs', z.array(Job))
  }
  const take = (job: Job): void => {
    jobs.value = [job, ...jobs.value.filter(({ id }) => id !== job.id)].sort((a, b) =>
      b.createdAt.localeCompare(a.createdAt),
    )
  }
  const cancel = async (id: string): Promise<void> => take(await callApi('POST', `/jobs/${id}/cancel`, Job))
  const skip = async (id: string): Promise<void> => take(await callApi('POST', `/jobs/${id}/skip`, Job))
  /** What measures or checks a site; a warm-up keeps nothing else from being ordered. */
  const openOf = (siteId: string): Job | undefined =>
    open.value.find((job) => job.siteId === siteId && !BESIDE.has(job.kind))
  const warmUpOf = (siteId: string): Job | undefined =>
    open.value.find((job) => job.siteId === siteId && job.kind === 'warm-up')
  return { jobs, open, load, take, cancel, skip, openOf, warmUpOf }
})
