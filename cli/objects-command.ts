import { ObjectsEntries, ObjectsFlushed, ObjectsPassword, ObjectsState } from '../core/contracts/objects.ts'
import { callApi, type ApiAccess } from './api.ts'
import { findSite, UsageError, type Output } from './command-line.ts'

interface ObjectsOptions {
  readonly json: boolean
  readonly prefix?: string | undefined
  readonly memory?: string | undefined
}

const MB = 1_000_000
const percent = (part: number, all: number): string => (all === 0 ? '–' : `${Math.round((100 * part) / all)}%`)

const printState = ({ settings, connection, usage, problem }: ObjectsState, out: Output): void => {
  out.line(`object cache    ${settings.enabled ? 'on' : 'off'}, ${settings.memoryBytes / MB} MB`)
  out.line(`reached at      ${connection.host}:${connection.port}, user ${connection.name}`)
  if (problem !== null) out.line(`problem         ${problem}`)
  if (usage === null) return
  const { counts } = usage
  const reads = counts.hits + counts.misses
  out.line(`reads           ${reads}, ${percent(counts.hits, reads)} answered`)
  out.line(`entries         ${usage.entries}, ${usage.bytes} of ${usage.boundBytes} bytes; ${usage.clients} connected`)
  out.line(`thrown out      ${counts.evicted}, ${counts.evictedUnread} of them never read`)
  for (const { prefix, entries, bytes, hits, misses } of usage.groups)
    out.line(`  ${prefix.padEnd(30)} ${entries} entries, ${bytes} bytes, ${percent(hits, hits + misses)} answered`)
}

/** `zest objects`. @returns the exit code @throws UsageError, CommandFailure */
export const objects = async (
  access: ApiAccess,
  [name, what]: readonly string[],
  { json, prefix = '', memory }: ObjectsOptions,
  out: Output,
): Promise<number> => {
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
    case 'flush': {
      const flushed = await callApi(access, 'POST', `${path}/flushes`, ObjectsFlushed, { prefix })
      return tell(flushed, () => out.line(`${flushed.removed} removed`))
    }
    default:
      throw new UsageError(`zest objects does not know "${what}".`)
  }
}
