import { defineStore } from 'pinia'
import { computed, ref, shallowRef } from 'vue'
import { z } from 'zod'
import { Traffic } from '../../core/contracts/delivery.ts'
import type { Changed } from '../../core/contracts/jobs.ts'
import { LedgerEntry, Trial } from '../../core/contracts/ledger.ts'
import { MeasurementHead, LatestResult, type MeasurementOrder } from '../../core/contracts/measurements.ts'
import { PrivacyState } from '../../core/contracts/privacy.ts'
import { Message } from '../../core/contracts/routine.ts'
import type { Setup } from '../../core/contracts/setup.ts'
import { Confirmation, Version } from '../../core/contracts/sites.ts'
import { callApi } from '../api/client.ts'

/** Everything about the site that is open: figures, trial, versions, ledger, traffic; and which page and visitor the ruler shows. */
export const useSite = defineStore('site', () => {
  const siteId = ref('')
  /** Whether everything about the open site has come; until then nothing is said to be missing. */
  const loaded = ref(false)
  const standings = shallowRef<readonly LatestResult[]>([])
  const measurements = shallowRef<readonly MeasurementHead[]>([])
  const trial = shallowRef<Trial | null>(null)
  const versions = shallowRef<readonly Version[]>([])
  const ledger = shallowRef<readonly LedgerEntry[]>([])
  const traffic = shallowRef<Traffic | null>(null)
  const privacy = shallowRef<PrivacyState | null>(null)
  const messages = shallowRef<readonly Message[]>([])
  const pageId = ref('')
  const visitorId = ref('')

  const path = (rest: string): string => `/sites/${siteId.value}${rest}`
  /** Keeps an answer only while its site is still the open one. */
  const into = async <T>(loading: Promise<T>, keep: (value: T) => void): Promise<void> => {
    const asked = siteId.value
    const value = await loading
    if (siteId.value === asked) keep(value)
  }

  const loadStandings = () =>
    into(callApi('GET', path('/standings'), z.array(LatestResult)), (value) => (standings.value = value))
  const loadMeasurements = () =>
    into(callApi('GET', path('/measurements'), z.array(MeasurementHead)), (value) => (measurements.value = value))
  const loadTrial = () =>
    into(callApi('GET', path('/trial'), Trial), (value) => {
      // An answer that was under way while the trial was saved is older than what is known.
      if (trial.value === null || value.revision >= trial.value.revision) trial.value = value
    })
  const loadVersions = () =>
    into(callApi('GET', path('/versions'), z.array(Version)), (value) => (versions.value = value))
  const loadLedger = () =>
    into(callApi('GET', path('/ledger'), z.array(LedgerEntry)), (value) => (ledger.value = value))
  const loadTraffic = () => into(callApi('GET', path('/traffic'), Traffic), (value) => (traffic.value = value))

  const loadPrivacy = () => into(callApi('GET', path('/privacy'), PrivacyState), (value) => (privacy.value = value))

  const loadMessages = () =>
    into(callApi('GET', path('/messages'), z.array(Message)), (value) => (messages.value = value))

  const open = async (id: string): Promise<void> => {
    siteId.value = id
    loaded.value = false
    standings.value = []
    measurements.value = []
    trial.value = null
    versions.value = []
    ledger.value = []
    traffic.value = null
    privacy.value = null
    messages.value = []
    await Promise.all([
      loadStandings(),
      loadMeasurements(),
      loadTrial(),
      loadVersions(),
      loadLedger(),
      loadPrivacy(),
      loadMessages(),
    ])
    if (siteId.value === id) loaded.value = true
  }

  /** Load again what an event says has changed. */
  const refresh = async ({ siteId: changedSite, what }: Changed): Promise<void> => {
    if (changedSite !== siteId.value) return
    const loads = {
      site: [loadVersions, loadStandings, loadTrial],
      trial: [loadTrial, loadStandings, loadPrivacy],
      measurements: [loadMeasurements],
      ledger: [loadLedger, loadStandings],
      traffic: [loadTraffic],
      privacy: [loadPrivacy],
      messages: [loadMessages],
      safety: [],
      guided: [],
    }[what]
    await Promise.all(loads.map((load) => load()))
  }

  const measure = async (order: z.input<typeof MeasurementOrder>): Promise<MeasurementHead> => {
    const head = await callApi('POST', path('/measurements'), MeasurementHead, order)
    await loadMeasurements()
    return head
  }
  const saveTrial = async (setup: Setup): Promise<void> => {
    trial.value = await callApi('PUT', path('/trial'), Trial, {
      setup,
      ...(trial.value === null ? {} : { revision: trial.value.revision }),
    })
    await loadPrivacy()
  }
  const keep = async (note: string): Promise<Version> => {
    const version = await callApi('POST', path('/trial/keep'), Version, {
      note,
      revision: trial.value!.revision,
    })
    await Promise.all([loadTrial(), loadVersions(), loadLedger(), loadStandings()])
    return version
  }
  const backOut = async (): Promise<void> => {
    trial.value = await callApi('POST', path('/trial/back-out'), Trial, { revision: trial.value!.revision })
  }
  const stepBack = async (number: number): Promise<void> => {
    await callApi('POST', path('/step-back'), Version, { number })
    await Promise.all([loadTrial(), loadVersions(), loadLedger(), loadStandings()])
  }
  const confirm = (): Promise<Confirmation[]> => callApi('POST', path('/confirmations'), z.array(Confirmation))

  const liveVersion = computed(() => versions.value.find(({ live }) => live))
  const chosen = computed(
    () =>
      standings.value.find((one) => one.pageId === pageId.value && one.visitorId === visitorId.value) ??
      standings.value.find((one) => one.visitorId === visitorId.value) ??
      standings.value[0],
  )
  const choose = (page: string, visitor: string): void => {
    pageId.value = page
    visitorId.value = visitor
  }

  return {
    siteId,
    loaded,
    standings,
    measurements,
    trial,
    versions,
    ledger,
    traffic,
    privacy,
    messages,
    liveVersion,
    chosen,
    open,
    refresh,
    choose,
    measure,
    saveTrial,
    keep,
    backOut,
    stepBack,
    confirm,
    loadTraffic,
    loadMeasurements,
    loadStandings,
    loadLedger,
    loadMessages,
    path,
  }
})
