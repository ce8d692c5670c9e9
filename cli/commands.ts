import { readFile } from 'node:fs/promises'
import { parseArgs } from 'node:util'
import { z } from 'zod'
import { PurgeResult, type PurgeWhat } from '../core/contracts/delivery.ts'
import { Job } from '../core/contracts/jobs.ts'
import { Measurement, MeasurementHead, DEFAULT_PAIRS, DEFAULT_RUNS } from '../core/contracts/measurements.ts'
import { Side, Visit } from '../core/contracts/measuring.ts'
import { PageSequences } from '../core/contracts/next-pages.ts'
import { QuickCheck } from '../core/contracts/quick-check.ts'
import { Site } from '../core/contracts/sites.ts'
import { WarmUpState, type WarmUpOrder } from '../core/contracts/warm-up.ts'
import { findSite, UsageError, type Output } from './command-line.ts'
import { cdn } from './cdn-command.ts'
import { edges } from './edges-command.ts'
import { certificate, dns } from './going-live-command.ts'
import { load } from './load-command.ts'
import { objects } from './objects-command.ts'
import { plan } from './plan-command.ts'
import { calendar, database, pictures } from './upkeep-command.ts'
import { waitForJob } from './wait-for-job.ts'
import { accessFrom, callApi, CommandFailure, type ApiAccess } from './api.ts'

export const USAGE = `zest site list                        the connected sites
zest measure SITE [options]           measure, wait, and print the medians and the verdict
  --side origin|live|trial|version-N|through-edges|again  one, or several to compare (default: origin)
  --page PATH                           repeatable (default: the first three of the sample)
  --visitor ID                          repeatable (default: all)
  --visit first|return|next             (default: first)
  --runs N                              most loads per page, visitor and side (default: ${DEFAULT_RUNS}; ${DEFAULT_PAIRS} to compare)
zest check ADDRESS                    check one address without a browser: lifetimes, compression, size
  --private                             allow this machine and private networks
zest purge SITE WHAT                  remove stored responses; WHAT is one of
  PATH …                                these addresses and their query variants
  --prefix /stories/                    all addresses that start with it
  --group timetables                    all responses in this group (repeatable)
  --pattern '/stories/*'                all matching addresses; pages below are included
  --everything
  --soft                                mark stale, and refresh in the background
zest warm SITE [ADDRESS…]             load pages into the store, and wait; without ADDRESS the whole list
  --list FILE                           addresses in a file, one per line; - reads standard input
  --kind NAME                           pages of one kind
zest next-pages SITE                  which pages visitors open from which, by visits
zest plan SITE [options]              try lifetimes and a warm-up on the site's traffic, beside what is in force
  --lifetime 4h                         of all pages; --lifetime Stories=1d of one kind (repeatable)
  --warm-up on|off, --warm-every HOURS  whether pages are kept warm, and how often all of them
  --propose                             look for the best plan instead
  --origin-per-day N, --oldest 4h       its bounds
  --visits N, --log FILE                assumed page visits per day, or an access log, in place of counted visits
  --put                                 put the plan into the trial
zest objects SITE [WHAT]               the object cache: what it does; WHAT is one of
  on, off, password                     switch it, make a password
  entries, content KEY                  look at entries, or at what one holds
  flush                                 empty it; with --fill pages are built then, to fill it; --page: what that page reads
  measure, keep                         measure what it is worth, and keep it
  --prefix session:                     entries and flush: only keys that begin so
  --memory MB                           on: how much memory it may take
  --reads-may-miss 5m                   measure: how long reads of all visitors may miss, in all; --page, --visitor
zest certificate SITE [get|renew|stop]  its certificate from an authority that speaks ACME
  --directory URL, --contact MAIL       get: the authority, and where it reaches you; with --agree-terms
  --dns                                 get: prove it by a record in the DNS, which is then shown
  --account-key-id ID, --account-key-file FILE  get: an account that you have there
zest dns SITE                         which lines of its zone change so that it leads to Zest Lamp
  --address A, --alias NAME             where Zest Lamp runs (--address is repeatable)
  --zone FILE                           the zone as a file; without it, name servers are asked
zest edges                            the edges, and what they have answered
zest edges add NAME                   a new edge, and the command that makes a machine one
  --home URL                            address by which it reaches the delivery here
  --address A, --place NAME,LAT,LONG    how visitors reach it, and where it stands
zest edges token|fill|remove NAME     let another machine take its place; fetch pages ahead; remove it
zest load SITE --yes                  how many visitors a second it handles; --yes: the site is yours to test
  --side origin|live|NAME               of an edge; repeatable (default: origin and live)
  --most N, --wait S                    visitors a second, and seconds a page may take, at most
zest cdn SITE [check]                 the CDN it rents; compare what was set with its responses
zest pictures SITE [WHAT]             the picture library in figures; WHAT is one of
  find, lighten                         look for pictures; make those lighter that wait (--all: all again)
  pause, continue                       the work on them
  over, beside, back                    write them to the media folder; put originals back
zest database SITE [WHAT]             what can go from its database; WHAT is one of
  find, backup, backups                 look through it; back it up with proof; the backups there are
  clean-up                              remove the confirmed groups (--quiet: in quiet hours)
  back, media                           put the last clean-up's rows back; missing files of the media folder
zest calendar SITE                    what will run by itself, and what is in the way of what

SITE is an id, a name or a live host name. --json prints the result as JSON.
ZEST_API_TOKEN holds the token; ZEST_URL the address of control (default http://127.0.0.1:8400).
Exit: 0 done, 1 failed, 2 not understood, 3 a verdict is "slower" or "broken".`

const siteList = async (access: ApiAccess, json: boolean, out: Output): Promise<number> => {
  const sites = await callApi(access, 'GET', '/sites', z.array(Site))
  if (json) out.line(JSON.stringify(sites, null, 2))
  else
    for (const site of sites)
      out.line(`${site.id}  ${site.liveHost}  version ${site.liveVersion}  ${site.name} (${site.address})`)
  return 0
}

interface PurgeOptions {
  readonly everything: boolean
  readonly prefix: string | undefined
  readonly group: string[] | undefined
  readonly pattern: string | undefined
  readonly soft: boolean
}

const purgeWhat = (paths: string[], { everything, prefix, pattern, group }: PurgeOptions): PurgeWhat => {
  const meant: PurgeWhat[] = [
    ...(everything ? [{ kind: 'everything' } as const] : []),
    ...(paths.length > 0 ? [{ kind: 'paths', paths } as const] : []),
    ...(prefix === undefined ? [] : [{ kind: 'prefix', prefix } as const]),
    ...(group === undefined ? [] : [{ kind: 'groups', groups: group } as const]),
    ...(pattern === undefined ? [] : [{ kind: 'pattern', pattern } as const]),
  ]
  const [what] = meant
  if (what === undefined || meant.length !== 1)
    throw new UsageError('Name the paths to purge, or give one of --prefix, --pattern, --group and --everything.')
  return what
}

const purge = async (
  access: ApiAccess,
  [name, ...paths]: string[],
  options: PurgeOptions,
  json: boolean,
  out: Output,
): Promise<number> => {
  const what = purgeWhat(paths, options)
  const site = await findSite(access, name)
  const order = { ...what, manner: options.soft ? 'soft' : 'hard' }
  const result = await callApi(access, 'POST', `/sites/${site.id}/purges`, PurgeResult, order)
  const count = `${result.purged} stored ${result.purged === 1 ? 'response' : 'responses'}`
  out.line(json ? JSON.stringify(result) : `${count} ${options.soft ? 'marked stale' : 'removed'}.`)
  if (!json)
    for (const { edge, state, tookMs } of result.edges)
      out.line(`${edge}  ${state}${tookMs === null ? '; it catches up when it reconnects' : ` after ${tookMs} ms`}`)
  return 0
}

const seconds = (ms: number | null): string => (ms === null ? '–' : `${(ms / 1000).toFixed(2)} s`)

const printMeasurement = ({ results }: Measurement, out: Output): void => {
  for (const { path, visitorName, sides, floorMs, verdict } of results) {
    out.line(`${path}  ${visitorName}  floor ${seconds(floorMs)}`)
    for (const { side, medians, failed, runs } of sides)
      out.line(
        `  ${side.padEnd(6)}  main content ${seconds(medians.lcpMs)}  first paint ${seconds(medians.fcpMs)}  loaded ${seconds(medians.loadedMs)}  ${medians.requests ?? '–'} requests${failed > 0 ? `  ${failed} of ${runs} failed` : ''}`,
      )
    if (verdict !== null) out.line(`  ${verdict.sentence}`)
  }
}

interface WarmOptions {
  readonly list: string | undefined
  readonly kind: string | undefined
}

/** Addresses of a file, one per line. */
const linesOf = async (file: string): Promise<string[]> => {
  const text = await readFile(file === '-' ? '/dev/stdin' : file, 'utf8').catch((error: Error) => {
    throw new CommandFailure(`The list cannot be read: ${error.message}.`)
  })
  return text
    .split(/\r?\n/)
    .map((line) => line.trim())
    .filter((line) => line !== '' && !line.startsWith('#'))
}

const warmOrder = async (addresses: readonly string[], { list, kind }: WarmOptions): Promise<WarmUpOrder> => {
  if (kind !== undefined && (list !== undefined || addresses.length > 0))
    throw new UsageError('Name addresses or --kind, not both.')
  if (kind !== undefined) return { what: 'kind', kind }
  const all = [...addresses, ...(list === undefined ? [] : await linesOf(list))]
  if (list !== undefined && all.length === 0) throw new CommandFailure(`There is no address in ${list}.`)
  return all.length === 0 ? { what: 'all' } : { what: 'addresses', addresses: all }
}

const warm = async (
  access: ApiAccess,
  [name, ...addresses]: string[],
  options: WarmOptions,
  json: boolean,
  out: Output,
): Promise<number> => {
  const order = await warmOrder(addresses, options)
  const site = await findSite(access, name)
  const { id } = await callApi(access, 'POST', `/sites/${site.id}/warm-up/rounds`, Job, order)
  await waitForJob(access, id, 'The warm-up', out)
  const { rounds } = await callApi(access, 'GET', `/sites/${site.id}/warm-up`, WarmUpState)
  const round = rounds.find(({ jobId }) => jobId === id)
  out.line(json ? JSON.stringify(round, null, 2) : (round?.sentence ?? 'Done.'))
  return round !== undefined && round.failed > 0 ? 1 : 0
}

const CODINGS = { none: 'not compressed', gzip: 'gzip', br: 'Brotli' } as const

const printCheck = ({ points, sizes, sentBytes }: QuickCheck, out: Output): void => {
  for (const { topic, sentence, evidence } of points) {
    out.line(`${topic.padEnd(15)} ${sentence}`)
    for (const line of evidence) out.line(`${' '.repeat(16)}${line}`)
  }
  if (sizes === null) return
  out.line(`sizes           sent now: ${sentBytes} bytes`)
  for (const { coding, level, bytes } of sizes)
    out.line(`${' '.repeat(16)}${CODINGS[coding]}${coding === 'none' ? '' : ` ${level}`}: ${bytes} bytes`)
}

const check = async (
  access: ApiAccess,
  address: string | undefined,
  privateToo: boolean,
  json: boolean,
  out: Output,
): Promise<number> => {
  if (address === undefined) throw new UsageError('Name the address to check.')
  const order = { address, ...(privateToo ? { privateAddresses: 'allowed' } : {}) }
  const result = await callApi(access, 'POST', '/quick-checks', QuickCheck, order)
  if (json) out.line(JSON.stringify(result, null, 2))
  else printCheck(result, out)
  return 0
}

interface MeasureOptions {
  readonly side: string[]
  readonly page: string[]
  readonly visitor: string[]
  readonly visit: string
  readonly runs: string | undefined
}

const orderFrom = (site: Site, { side, page, visitor, visit, runs }: MeasureOptions) => {
  const sides = z.array(Side).safeParse(side.length === 0 ? ['origin'] : side)
  if (!sides.success) throw new UsageError('--side is origin, live, trial, version-3 and the like, or again.')
  const kind = Visit.safeParse(visit)
  if (!kind.success) throw new UsageError('--visit is first, return or next.')
  const pages =
    page.length === 0
      ? site.sample.slice(0, 3)
      : page.map((path) => {
          const found = site.sample.find((one) => one.path === path)
          if (found === undefined)
            throw new CommandFailure(`${path} is not in the sample: ${site.sample.map((one) => one.path).join(', ')}.`)
          return found
        })
  return {
    sides: sides.data,
    pageIds: pages.map(({ id }) => id),
    visitorIds: visitor.length === 0 ? site.visitors.map(({ id }) => id) : visitor,
    visit: kind.data,
    runs: runs === undefined ? (sides.data.length > 1 ? DEFAULT_PAIRS : DEFAULT_RUNS) : Number(runs),
  }
}

const measure = async (
  access: ApiAccess,
  name: string | undefined,
  options: MeasureOptions,
  json: boolean,
  out: Output,
): Promise<number> => {
  const site = await findSite(access, name)
  const head = await callApi(
    access,
    'POST',
    `/sites/${site.id}/measurements`,
    MeasurementHead,
    orderFrom(site, options),
  )
  await waitForJob(access, head.jobId, 'The measurement', out)
  const measurement = await callApi(access, 'GET', `/sites/${site.id}/measurements/${head.id}`, Measurement)
  if (json) out.line(JSON.stringify(measurement, null, 2))
  else printMeasurement(measurement, out)
  return measurement.results.some(({ verdict }) => verdict?.kind === 'slower' || verdict?.kind === 'broken') ? 3 : 0
}

const nextPages = async (access: ApiAccess, name: string | undefined, json: boolean, out: Output): Promise<number> => {
  const site = await findSite(access, name)
  const { sequences } = await callApi(access, 'GET', `/sites/${site.id}/next-pages`, PageSequences)
  if (json) out.line(JSON.stringify(sequences, null, 2))
  else
    for (const { page, visits, next } of sequences)
      for (const one of next)
        out.line(`${page}  →  ${one.page}  ${Math.round(one.visits)} of ${Math.round(visits)} visits`)
  return 0
}

const parse = (args: string[]) => {
  try {
    return parseArgs({
      args,
      allowPositionals: true,
      options: {
        json: { type: 'boolean', default: false },
        help: { type: 'boolean', short: 'h', default: false },
        everything: { type: 'boolean', default: false },
        prefix: { type: 'string' },
        group: { type: 'string', multiple: true },
        pattern: { type: 'string' },
        soft: { type: 'boolean', default: false },
        private: { type: 'boolean', default: false },
        side: { type: 'string', multiple: true, default: [] },
        page: { type: 'string', multiple: true, default: [] },
        visitor: { type: 'string', multiple: true, default: [] },
        visit: { type: 'string', default: 'first' },
        runs: { type: 'string' },
        list: { type: 'string' },
        kind: { type: 'string' },
        memory: { type: 'string' },
        directory: { type: 'string' },
        contact: { type: 'string' },
        'agree-terms': { type: 'boolean', default: false },
        dns: { type: 'boolean', default: false },
        yes: { type: 'boolean', default: false },
        all: { type: 'boolean', default: false },
        quiet: { type: 'boolean', default: false },
        most: { type: 'string' },
        wait: { type: 'string' },
        home: { type: 'string' },
        place: { type: 'string' },
        'account-key-id': { type: 'string' },
        'account-key-file': { type: 'string' },
        address: { type: 'string', multiple: true, default: [] },
        alias: { type: 'string' },
        zone: { type: 'string' },
        fill: { type: 'boolean', default: false },
        'reads-may-miss': { type: 'string' },
        propose: { type: 'boolean', default: false },
        put: { type: 'boolean', default: false },
        lifetime: { type: 'string', multiple: true, default: [] },
        'warm-up': { type: 'string' },
        'warm-every': { type: 'string' },
        'origin-per-day': { type: 'string' },
        oldest: { type: 'string' },
        visits: { type: 'string' },
        log: { type: 'string' },
      },
    })
  } catch (error) {
    throw new UsageError((error as Error).message)
  }
}

/**
 * Run the command.
 * @returns the exit code
 * @throws UsageError, CommandFailure
 */
export const runCommand = async (args: string[], env: NodeJS.ProcessEnv, out: Output): Promise<number> => {
  const { values, positionals } = parse(args)
  const [noun, ...rest] = positionals
  if (values.help || noun === undefined) {
    out.line(USAGE)
    return values.help ? 0 : 2
  }
  if (noun === 'site' && rest[0] === 'list') return siteList(accessFrom(env), values.json, out)
  if (noun === 'purge') return purge(accessFrom(env), rest, values as PurgeOptions, values.json, out)
  if (noun === 'warm') return warm(accessFrom(env), rest, values as WarmOptions, values.json, out)
  if (noun === 'next-pages') return nextPages(accessFrom(env), rest[0], values.json, out)
  if (noun === 'objects') return objects(accessFrom(env), rest, values, out)
  if (noun === 'certificate') return certificate(accessFrom(env), rest, values, out)
  if (noun === 'edges') return edges(accessFrom(env), rest, values, out)
  if (noun === 'load') return load(accessFrom(env), rest[0], values, out)
  if (noun === 'cdn') return cdn(accessFrom(env), rest, values, out)
  if (noun === 'pictures') return pictures(accessFrom(env), rest, values, out)
  if (noun === 'database') return database(accessFrom(env), rest, values, out)
  if (noun === 'calendar') return calendar(accessFrom(env), rest[0], values.json, out)
  if (noun === 'dns') return dns(accessFrom(env), rest[0], values, out)
  if (noun === 'plan') return plan(accessFrom(env), rest[0], values, out)
  if (noun === 'check') return check(accessFrom(env), rest[0], values.private, values.json, out)
  if (noun === 'measure') return measure(accessFrom(env), rest[0], values as MeasureOptions, values.json, out)
  throw new UsageError(`There is no command "${positionals.join(' ')}".`)
}
