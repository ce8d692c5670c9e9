import type { ObjectsConfig } from '../../core/contracts/objects.ts'
import type { ObjectsListener } from '../listener/objects-listener.ts'
import { contentOf } from '../sites/entry-content.ts'
import { flushEntries, flushKeys, listEntries } from '../sites/look-at.ts'
import type { ObjectSites } from '../sites/object-sites.ts'
import type { ObjectsActions } from './channel.ts'

/** How the object cache does what control asks. @param save keeps a configuration for the next start */
export const actionsOf = (
  sites: ObjectSites,
  listener: ObjectsListener,
  { now, save }: { readonly now: () => number; readonly save: (config: ObjectsConfig) => Promise<void> },
): ObjectsActions => ({
  configure: async (config) => {
    await save(config)
    listener.endClientsOf(sites.configure(config))
  },
  usage: (siteId) => sites.get(siteId)?.report(),
  flush: (siteId, { prefix }) => {
    const site = sites.get(siteId)
    if (site === undefined) return undefined
    // What is not known here goes too.
    if (prefix === '') site.outside?.flush()
    return flushEntries(site.keys, prefix)
  },
  flushKeys: (siteId, { keys: noted }) => {
    const keys = sites.get(siteId)?.keys
    return keys === undefined ? undefined : flushKeys(keys, noted)
  },
  note: (siteId, { what }) => {
    const site = sites.get(siteId)
    if (site === undefined) return undefined
    if (what === 'end') return site.endNoting()
    site.beginNoting()
    return { keys: [], more: false }
  },
  content: async (siteId, query) => {
    const site = sites.get(siteId)
    if (site === undefined) return undefined
    const content = site.outside === undefined ? contentOf(site.keys, query) : await site.outside.content(query)
    return { content: content ?? null }
  },
  missReads: (siteId, { ms }) => {
    const site = sites.get(siteId)
    site?.missReads(ms)
    return site === undefined ? undefined : { ok: true }
  },
  entries: (siteId, query) => {
    const keys = sites.get(siteId)?.keys
    return keys === undefined ? undefined : listEntries(keys, query, now())
  },
})
