import type { RemedyException } from '../contracts/rewriting.ts'
import { Setup, type RemedyId } from '../contracts/setup.ts'
import type { Unfit } from '../contracts/setup-file.ts'
import { pathPatterns } from '../http/patterns.ts'
import { remedyName } from '../catalogue/remedy-names.ts'
import { upTo } from '../http/up-to.ts'

/** A site that a setup is carried to. */
export interface TargetSite {
  /** Its address at the origin, live and in trial, hosts with ports. */
  readonly origin: string
  readonly live: string
  readonly trial: string
  /** Paths of pages that are known of it. */
  readonly paths: readonly string[]
  /** Hosts of others that its owner has named. */
  readonly otherHosts: readonly string[]
}

export interface Adapted {
  readonly setup: Setup
  /** Which host names became which. */
  readonly adapted: string[]
  readonly unfit: Unfit[]
}

/** Host names at the beginning of an address, or all of a value. */
const renamed = (text: string, names: ReadonlyMap<string, string>, used: Set<string>): string => {
  const match = /^((?:https?:)?\/\/)?([^/]+)(\/.*)?$/s.exec(text)
  const to = match === null ? undefined : names.get((match[2] ?? '').toLowerCase())
  // A bare word is a host only if it is one of theirs; a path begins with a slash and never matches.
  if (match === null || to === undefined) return text
  used.add(`${match[2]} → ${to}`)
  return `${match[1] ?? ''}${to}${match[3] ?? ''}`
}

const everyText = (value: unknown, change: (text: string) => string): unknown => {
  if (typeof value === 'string') return change(value)
  if (Array.isArray(value)) return value.map((one) => everyText(one, change))
  if (typeof value === 'object' && value !== null)
    return Object.fromEntries(Object.entries(value).map(([key, one]) => [key, everyText(one, change)]))
  return value
}

/** Exceptions of pages that the site does not have are left out; those of files stay, since files of a site are not listed anywhere. */
const fittingExceptions = (
  remedy: string,
  exceptions: readonly RemedyException[],
  paths: readonly string[],
  unfit: Unfit[],
): RemedyException[] =>
  exceptions.filter(({ by, value }) => {
    if (by !== 'address') return true
    const fits = pathPatterns([value, `${value.replace(/\/$/, '')}/*`])
    if (paths.some((path) => fits(upTo(path, '?')))) return true
    unfit.push({
      where: `${remedyName(remedy)}: excluded page`,
      value,
      what: 'left-out',
      sentence: `There is no page ${value} here, so it need not be excluded.`,
    })
    return false
  })

/**
 * Carry a setup to another site: host names become those of the site, and what names pages or hosts that the site does not have is listed.
 * @param fromHosts names of the site it comes from: origin, live, trial, hosts with ports
 */
export const adaptSetup = (setup: Setup, fromHosts: readonly string[], target: TargetSite): Adapted => {
  const used = new Set<string>()
  const places = [target.origin, target.live, target.trial]
  const names = new Map<string, string>()
  fromHosts.forEach((host, index) => {
    const to = places[Math.min(index, 2)]!
    if (host.toLowerCase() !== to.toLowerCase()) names.set(host.toLowerCase(), to)
  })
  const moved = Setup.parse(everyText(setup, (text) => renamed(text, names, used)))
  const unfit: Unfit[] = []
  const remedies: Record<string, Record<string, unknown>> = { ...moved.remedies }
  for (const id of Object.keys(remedies) as RemedyId[]) {
    const exceptions = remedies[id]!['exceptions'] as RemedyException[] | undefined
    if (exceptions !== undefined)
      remedies[id] = { ...remedies[id], exceptions: fittingExceptions(id, exceptions, target.paths, unfit) }
  }
  // Nobody is asked whom the owner of this site has not named.
  const copies = moved.remedies.localCopies
  const hosts = copies.hosts.filter((host) => target.otherHosts.includes(host.replace(/:\d+$/, '')))
  for (const host of copies.hosts.filter((one) => !hosts.includes(one)))
    unfit.push({
      where: `${remedyName('localCopies')}: hosts`,
      value: host,
      what: 'left-out',
      sentence: `The owner of this site has not named ${host}; add it under Site, Hosts, and here again.`,
    })
  remedies['localCopies'] = { ...remedies['localCopies'], hosts }
  for (const kind of moved.remedies.pageCache.kinds)
    for (const pattern of kind.paths)
      if (!target.paths.some((path) => pathPatterns([pattern])(upTo(path, '?'))))
        unfit.push({
          where: `${remedyName('pageCache')}: kind “${kind.name}”`,
          value: pattern,
          what: 'kept',
          sentence: `No known page matches ${pattern}, so it has no effect here.`,
        })
  return { setup: Setup.parse({ ...moved, remedies }), adapted: [...used], unfit }
}
