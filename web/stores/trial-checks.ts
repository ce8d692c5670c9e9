import { defineStore } from 'pinia'
import { computed, shallowRef, type Ref } from 'vue'
import { z } from 'zod'
import { CulpritSearch, type CulpritOrder } from '../../core/contracts/culprit.ts'
import { GuidedRun, type GuidedOrder } from '../../core/contracts/guided.ts'
import type { Changed } from '../../core/contracts/jobs.ts'
import { SafetyCheck, SafetyPictures, type SafetyOrder } from '../../core/contracts/safety.ts'
import { callApi } from '../api/client.ts'

/** Keeps an answer only while its site is still the open one. */
const intoOpen =
  (siteId: Ref<string>) =>
  async <T>(loading: Promise<T>, keep: (value: T) => void): Promise<void> => {
    const asked = siteId.value
    const value = await loading
    if (siteId.value === asked) keep(value)
  }

/** Whether the trial of the open site is safe and worth its place: checks, culprit searches, guided runs. */
export const useTrialChecks = defineStore('trial-checks', () => {
  const siteId = shallowRef('')
  const checks = shallowRef<readonly SafetyCheck[]>([])
  const searches = shallowRef<readonly CulpritSearch[]>([])
  const runs = shallowRef<readonly GuidedRun[]>([])
  const path = (rest: string): string => `/sites/${siteId.value}${rest}`

  const into = intoOpen(siteId)
  const loadSafety = async (): Promise<void> => {
    await Promise.all([
      into(callApi('GET', path('/safety-checks'), z.array(SafetyCheck)), (value) => (checks.value = value)),
      into(callApi('GET', path('/culprit-searches'), z.array(CulpritSearch)), (value) => (searches.value = value)),
    ])
  }
  const loadGuided = () =>
    into(callApi('GET', path('/guided-runs'), z.array(GuidedRun)), (value) => (runs.value = value))

  const open = async (id: string): Promise<void> => {
    if (siteId.value !== id) {
      checks.value = []
      searches.value = []
      runs.value = []
    }
    siteId.value = id
    await Promise.all([loadSafety(), loadGuided()])
  }
  /** Load again what an event says has changed. */
  const refresh = async ({ siteId: changedSite, what }: Changed): Promise<void> => {
    if (changedSite !== siteId.value) return
    if (what === 'safety' || what === 'trial') await loadSafety()
    if (what === 'guided') await loadGuided()
  }
  const check = async (order: z.input<typeof SafetyOrder>): Promise<void> => {
    await callApi('POST', path('/safety-checks'), SafetyCheck, order)
    await loadSafety()
  }
  const picturesOf = (checkId: string, pageId: string, visitorId: string): Promise<SafetyPictures> =>
    callApi('GET', path(`/safety-checks/${checkId}/pictures?pageId=${pageId}&visitorId=${visitorId}`), SafetyPictures)
  const search = async (order: z.input<typeof CulpritOrder>): Promise<void> => {
    await callApi('POST', path('/culprit-searches'), CulpritSearch, order)
    await loadSafety()
  }
  const guide = async (order: z.input<typeof GuidedOrder>): Promise<void> => {
    await callApi('POST', path('/guided-runs'), GuidedRun, order)
    await loadGuided()
  }
  const steer =
    (how: 'pause' | 'resume') =>
    async (id: string): Promise<void> => {
      await callApi('POST', path(`/guided-runs/${id}/${how}`), GuidedRun)
      await loadGuided()
    }
  const currentCheck = computed(() => checks.value.find(({ current, order }) => current && order.to === 'trial'))
  return {
    siteId,
    checks,
    searches,
    runs,
    currentCheck,
    open,
    refresh,
    check,
    picturesOf,
    search,
    guide,
    pause: steer('pause'),
    resume: steer('resume'),
  }
})
