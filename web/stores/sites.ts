import { defineStore } from 'pinia'
import { shallowRef } from 'vue'
import { z } from 'zod'
import { Site, SiteCheck, type CheckSite, type ConnectSite } from '../../core/contracts/sites.ts'
import { callApi } from '../api/client.ts'

/** The connected sites. */
export const useSites = defineStore('sites', () => {
  const sites = shallowRef<readonly Site[]>([])
  const loaded = shallowRef(false)

  const load = async (): Promise<void> => {
    sites.value = await callApi('GET', '/sites', z.array(Site))
    loaded.value = true
  }
  const find = (id: string): Site | undefined => sites.value.find((site) => site.id === id)
  const check = (look: z.input<typeof CheckSite>): Promise<SiteCheck> =>
    callApi('POST', '/site-checks', SiteCheck, look)
  const connect = async (wanted: z.input<typeof ConnectSite>): Promise<Site> => {
    const site = await callApi('POST', '/sites', Site, wanted)
    await load()
    return site
  }
  const remove = async (id: string): Promise<void> => {
    await callApi('DELETE', `/sites/${id}`)
    await load()
  }
  return { sites, loaded, load, find, check, connect, remove }
})
