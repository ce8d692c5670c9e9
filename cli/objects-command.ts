import { z } from 'zod'
import { Measurement, MeasurementHead } from '../core/contracts/measurements.ts'
import type { Site } from '../core/contracts/sites.ts'
import {
  ObjectsContent,
  ObjectsEntries,
  ObjectsFlushed,
  ObjectsPassword,
  ObjectsState,
} from '../core/contracts/objects.ts'
import { callApi, CommandFailure, type ApiAccess } from './api.ts'
import { findSite, UsageError, type Output } from './command-line.ts'
import { secondsOf } from './duration.ts'
import { waitForJob } from './wait-for-job.ts'

interface ObjectsOptions {
  readonly json: boolean
  readonly prefix?: string | undefined
  readonly memory?: string | undefined
  readonly page: string[]
  readonly visitor: string[]
  readonly fill: boolean
  readonly 'reads-may-miss'?: string | undefined
}

const MB = 1_000_000
const percent = (part: number, all: number): string => (all === 0 ? '–' : `${Math.round((100 * part) / all)}%`)

const printState = ({ settings, connection, usage, problem }: ObjectsState, out: Output): void => {
  out.line(`object cache    ${settings.enabled ? 'on' : 'off'}, ${settings.memoryBytes / MB} MB`)
  out.line(`reached at      ${connection.host}:${connection.port}, user ${connection.name}`)
  if (problem !== null) out.line(`problem         ${problem}`)
  if (usage === null) return
  const { counts, outside } = usage
  if (outside !== null)
    out.line(
      `values          in another server (ZEST_OBJECTS_URL)${outside.problem === null ? '' : `: ${outside.problem}`}`,
    )
  const reads = counts.hits + counts.misses
  out.line(`reads           ${reads}, ${percent(counts.hits, reads)} answered`)
  out.line(`entries         ${usage.entries}, ${usage.bytes} of ${usage.boundBytes} bytes; ${usage.clients} connected`)
  out.line(`thrown out      ${counts.evicted}, ${counts.evictedUnread} of them never read`)
  for (const { prefix, entries, bytes, hits, misses } of usage.groups)
    out.line(`  ${prefix.padEnd(30)} ${entries} entries, ${bytes} bytes, ${percent(hits, hits + misses)} answered`)
}

const ms = (value: number | null | undefined): string => (value == null ? '–' : `${Math.round(value)} ms`)

/** Measure what it is worth. @returns the exit code: 3 where a first byte comes later @throws UsageError, CommandFailure */
const measureWorth = async (
  access: ApiAccess,
  site: Site,
  { json, page, visitor, 'reads-may-miss': allowed }: ObjectsOptions,
  out: Output,
): Promise<number> => {
  if (allowed === undefined)
    throw new UsageError(
      'Reads of all visitors miss in short windows while this is measured. Say for how long in all: --reads-may-miss 5m.',
    )
  const pages = site.sample.filter(({ path }) => page.includes(path))
  if (pages.length < page.length)
    throw new UsageError(`--page is one of the sample: ${site.sample.map(({ path }) => path).join(', ')}.`)
  const signedIn = site.visitors.filter(({ journeyId }) => journeyId !== null)
  const visitors = visitor.length > 0 ? visitor : [...signedIn, ...site.visitors].slice(0, 1).map(({ id }) => id)
  const head = await callApi(access, 'POST', `/sites/${site.id}/objects/measurements`, MeasurementHead, {
    pageIds: (pages.length > 0 ? pages : site.sample.slice(0, 1)).map(({ id }) => id),
    visitorIds: visitors,
    missS: secondsOf(allowed, '--reads-may-miss'),
    readsMayMiss: true,
  })
  await waitForJob(access, head.jobId, 'The measurement', out)
  const { results } = await callApi(access, 'GET', `/sites/${site.id}/measurements/${head.id}`, Measurement)
  if (json) out.line(JSON.stringify(results, null, 2))
  else
    for (const { path, visitorName, sides, verdict } of results) {
      const [missing, answering] = ['without-objects', 'live'].map((side) => sides.find((one) => one.side === side))
      out.line(
        `${path}  ${visitorName}  first byte ${ms(missing?.medians.ttfbMs)}, with the object cache ${ms(answering?.medians.ttfbMs)}`,
      )
      const gain = verdict?.gains.ttfbMs
      if (gain !== undefined)
        out.line(`  gain ${ms(gain.shift)}, ${ms(gain.low)} to ${ms(gain.high)}, ${gain.pairs} pairs`)
      if (verdict != null) out.line(`  ${verdict.sentence}`)
    }
  return results.some(({ verdict }) => (verdict?.gains.ttfbMs?.high ?? 0) < 0) ? 3 : 0
}

/** `zest objects`. @returns the exit code @throws UsageError, CommandFailure */
export const objects = async (
  access: ApiAccess,
  [name, what, key]: readonly string[],
  options: ObjectsOptions,
  out: Output,
): Promise<number> => {
  const { json, prefix = '', memory } = options
  const site = await findSite(access, name)
  const path = `/sites/${site.id}/objects`
  const tell = (result: unknown, print: () => void): number => {
    if (json) out.line(JSON.stringify(result, null, 2))
    else print()
    return 0
  }
  switch (what) {
    case undefined: {
      const state = await callApi(access, 'GET', path, ObjectsState)
      return tell(state, () => printState(state, out))
    }
    case 'on':
    case 'off': {
      if (memory !== undefined && !(Number(memory) > 0)) throw new UsageError('--memory is a number of MB.')
      const { settings } = await callApi(access, 'GET', path, ObjectsState)
      const state = await callApi(access, 'PUT', path, ObjectsState, {
        ...settings,
        enabled: what === 'on',
        ...(memory === undefined ? {} : { memoryBytes: Math.round(Number(memory) * MB) }),
      })
      return tell(state, () => printState(state, out))
    }
    case 'measure':
      return measureWorth(access, site, options, out)
    case 'password': {
      const made = await callApi(access, 'POST', `${path}/password`, ObjectsPassword)
      return tell(made, () => out.line(made.url))
    }
    case 'entries': {
      const query = new URLSearchParams({ prefix })
      const found = await callApi(access, 'GET', `${path}/entries?${query}`, ObjectsEntries)
      return tell(found, () => {
        for (const { key, type, bytes, ttlS } of found.entries)
          out.line(`${key}  ${type}  ${bytes} bytes  ${ttlS === null ? 'never runs out' : `runs out in ${ttlS} s`}`)
      })
    }
    case 'content': {
      if (key === undefined) throw new UsageError('Name the key.')
      const content = await callApi(access, 'GET', `${path}/content?${new URLSearchParams({ key })}`, ObjectsContent)
      return tell(content, () => {
        for (const { name: field, text } of content.parts) out.line(field === null ? text : `${field}  ${text}`)
      })
    }
    case 'keep': {
      const heads = await callApi(access, 'GET', `/sites/${site.id}/measurements`, z.array(MeasurementHead))
      const newest = heads.find(({ order }) => order.sides.includes('without-objects'))
      if (newest === undefined) throw new CommandFailure('What the object cache is worth has not been measured yet.')
      const decided = { measurementId: newest.id, decision: 'kept' }
      const state = await callApi(access, 'POST', `${path}/decisions`, ObjectsState, decided)
      return tell(state, () => out.line('Kept: the ledger says so.'))
    }
    case 'flush': {
      const [page] = options.page
      const order = page === undefined ? { prefix, fill: options.fill } : { page }
      const flushed = await callApi(access, 'POST', `${path}/flushes`, ObjectsFlushed, order)
      return tell(flushed, () => out.line(`${flushed.removed} removed`))
    }
    default:
      throw new UsageError(`zest objects does not know "${what}".`)
  }
}
