import { defineStore } from 'pinia'
import { computed, ref, shallowRef, type Ref, type ShallowRef } from 'vue'
import { z } from 'zod'
import { SiteTraffic } from '../../core/contracts/delivery.ts'
import type { Changed } from '../../core/contracts/jobs.ts'
import { LedgerEntry, Trial } from '../../core/contracts/ledger.ts'
import { MeasurementHead, LatestResult, type MeasurementOrder } from '../../core/contracts/measurements.ts'
import { PrivacyState } from '../../core/contracts/privacy.ts'
import { Message } from '../../core/contracts/routine.ts'
import type { Setup } from '../../core/contracts/setup.ts'
import { Confirmation, Version } from '../../core/contracts/sites.ts'
import { callApi } from '../api/client.ts'

/** A value of the open site that is loaded from an address of its own. */
interface Loaded<T> {
  readonly value: ShallowRef<T>
  readonly load: () => Promise<void>
  readonly forget: () => void
}

/**
 * @param siteId of the open site; an answer is kept only while that is still the one that was asked for
 * @param accept what becomes of an answer, where it may be older than what is known
 */
const loaded = <T>(
  siteId: Ref<string>,
  rest: string,
  schema: z.ZodType<T>,
  none: T,
  accept: (known: T, came: T) => T = (_known, came) => came,
): Loaded<T> => {
  const value = shallowRef<T>(none)
  const load = async (): Promise<void> => {
    const asked = siteId.value
    const came = await callApi('GET', `/sites/${asked}${rest}`, schema)
    if (siteId.value === asked) value.value = accept(value.value as T, came)
  }
  return { value: value as ShallowRef<T>, load, forget: () => (value.value = none) }
}

/** What is known of the open site, each from its own address. */
const partsOf = (siteId: Ref<string>) => ({
  standings: loaded(siteId, '/standings', z.array(LatestResult), []),
  measurements: loaded(siteId, '/measurements', z.array(MeasurementHead), []),
  // An answer that was under way while the trial was saved is older than what is known.
  trial: loaded<Trial | null>(siteId, '/trial', Trial, null, (known, came) =>
    known === null || came === null || came.revision >= known.revision ? came : known,
  ),
  versions: loaded(siteId, '/versions', z.array(Version), []),
  ledger: loaded(siteId, '/ledger', z.array(LedgerEntry), []),
  privacy: loaded<PrivacyState | null>(siteId, '/privacy', PrivacyState, null),
  messages: loaded(siteId, '/messages', z.array(Message), []),
  traffic: loaded<SiteTraffic | null>(siteId, '/traffic', SiteTraffic, null),
})
type Parts = ReturnType<typeof partsOf>

/** Which of it an event makes old. */
const MADE_OLD: Record<Changed['what'], readonly (keyof Parts)[]> = {
  site: ['versions', 'standings', 'trial'],
  trial: ['trial', 'standings', 'privacy'],
  measurements: ['measurements'],
  ledger: ['ledger', 'standings'],
  traffic: ['traffic'],
  privacy: ['privacy'],
  messages: ['messages'],
  safety: [],
  guided: [],
  'warm-up': [],
  objects: [],
  certificate: [],
  'load-tests': [],
  'server-rules': [],
  upkeep: [],
}

const all = (loads: readonly { readonly load: () => Promise<void> }[]): Promise<unknown> =>
  Promise.all(loads.map(({ load }) => load()))

/** What is done to the open site; what it changes is loaded again. */
const actsOn = (siteId: Ref<string>, parts: Parts) => {
  const path = (rest: string): string => `/sites/${siteId.value}${rest}`
  const { trial, versions, ledger, standings, measurements, privacy } = parts
  /** The trial is changed only as it was seen: a revision that is old is refused. */
  const revision = (): { revision?: number } =>
    trial.value.value === null ? {} : { revision: trial.value.value.revision }
  return {
    measure: async (order: z.input<typeof MeasurementOrder>): Promise<MeasurementHead> => {
      const head = await callApi('POST', path('/measurements'), MeasurementHead, order)
      await measurements.load()
      return head
    },
    saveTrial: async (setup: Setup): Promise<void> => {
      trial.value.value = await callApi('PUT', path('/trial'), Trial, { setup, ...revision() })
      await privacy.load()
    },
    keep: async (note: string): Promise<Version> => {
      const version = await callApi('POST', path('/trial/keep'), Version, { note, ...revision() })
      await all([trial, versions, ledger, standings])
      return version
    },
    backOut: async (): Promise<void> => {
      trial.value.value = await callApi('POST', path('/trial/back-out'), Trial, revision())
    },
    stepBack: async (number: number): Promise<void> => {
      await callApi('POST', path('/step-back'), Version, { number })
      await all([trial, versions, ledger, standings])
    },
    confirm: (): Promise<Confirmation[]> => callApi('POST', path('/confirmations'), z.array(Confirmation)),
  }
}

/** Everything about the site that is open: figures, trial, versions, ledger, traffic; and which page and visitor the ruler shows. */
export const useSite = defineStore('site', () => {
  const siteId = ref('')
  /** Whether everything about the open site has come; until then nothing is said to be missing. */
  const isLoaded = ref(false)
  const parts = partsOf(siteId)
  const { standings, measurements, trial, versions, ledger, privacy, messages, traffic } = parts
  const pageId = ref('')
  const visitorId = ref('')

  const open = async (id: string): Promise<void> => {
    siteId.value = id
    isLoaded.value = false
    for (const part of Object.values(parts)) part.forget()
    // Figures of visitors' requests are loaded by who shows them.
    await all([standings, measurements, trial, versions, ledger, privacy, messages])
    if (siteId.value === id) isLoaded.value = true
  }
  /** Load again what an event says has changed. */
  const refresh = async ({ siteId: changedSite, what }: Changed): Promise<void> => {
    if (changedSite === siteId.value) await all(MADE_OLD[what].map((name) => parts[name]))
  }

  const liveVersion = computed(() => versions.value.value.find(({ live }) => live))
  const chosen = computed(() => {
    const known = standings.value.value
    const ofVisitor = known.filter((one) => one.visitorId === visitorId.value)
    return ofVisitor.find((one) => one.pageId === pageId.value) ?? ofVisitor[0] ?? known[0]
  })
  const choose = (page: string, visitor: string): void => {
    pageId.value = page
    visitorId.value = visitor
  }

  return {
    siteId,
    loaded: isLoaded,
    standings: standings.value,
    measurements: measurements.value,
    trial: trial.value,
    versions: versions.value,
    ledger: ledger.value,
    traffic: traffic.value,
    privacy: privacy.value,
    messages: messages.value,
    liveVersion,
    chosen,
    open,
    refresh,
    choose,
    ...actsOn(siteId, parts),
    loadTraffic: traffic.load,
    loadMeasurements: measurements.load,
    loadStandings: standings.load,
    loadLedger: ledger.load,
    loadMessages: messages.load,
    path: (rest: string): string => `/sites/${siteId.value}${rest}`,
  }
})
