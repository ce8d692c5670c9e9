import { z } from 'zod'
import { EdgeInfo, EdgeWithToken } from '../core/contracts/edges.ts'
import { callApi, CommandFailure, type ApiAccess } from './api.ts'
import { UsageError, type Output } from './command-line.ts'

export interface EdgesOptions {
  readonly json: boolean
  readonly home?: string | undefined
  readonly address: string[]
  readonly place?: string | undefined
}

const SETUP: Record<EdgeInfo['setup'], string> = {
  'in-force': 'setup in force',
  behind: 'setup behind',
  unknown: 'setup not known',
}

const print = (edges: readonly EdgeInfo[], out: Output): void => {
  if (edges.length === 0) out.line('No edge yet.')
  for (const { name, state, setup, sites, problem } of edges) {
    const sum = (what: 'requests' | 'hits' | 'bytes' | 'errors'): number =>
      sites.reduce((total, figures) => total + figures[what], 0)
    const answered = `${sum('requests')} requests, ${sum('hits')} from its store, ${sum('bytes')} bytes, ${sum('errors')} failed`
    out.line(`${name}  ${state}  ${SETUP[setup]}  ${answered}`)
    if (problem !== null) out.line(`  ${problem}`)
  }
}

/** A place as "NAME,LATITUDE,LONGITUDE". @throws UsageError */
const placeFrom = (text: string | undefined): EdgeInfo['place'] => {
  if (text === undefined) return null
  const [name = '', latitude, longitude, ...more] = text.split(',').map((part) => part.trim())
  const [north, east] = [Number(latitude), Number(longitude)]
  if (name === '' || more.length > 0 || !Number.isFinite(north) || !Number.isFinite(east))
    throw new UsageError('Give the place as NAME,LATITUDE,LONGITUDE, such as "Low Shoal,-8,-24".')
  return { name, latitude: north, longitude: east }
}

const printToken = ({ edge, token }: EdgeWithToken, access: ApiAccess, json: boolean, out: Output): void => {
  if (json) return out.line(JSON.stringify({ edge, token }, null, 2))
  out.line(`On the machine that is to be ${edge.name}; the token works once:`)
  out.line(`npm run edge -- --join ${access.url} --token ${token}`)
}

/** `zest edges`. @returns the exit code @throws UsageError, CommandFailure */
export const edges = async (
  access: ApiAccess,
  [what, name]: readonly string[],
  options: EdgesOptions,
  out: Output,
): Promise<number> => {
  const all = await callApi(access, 'GET', '/edges', z.array(EdgeInfo))
  if (what === undefined) {
    if (options.json) out.line(JSON.stringify(all, null, 2))
    else print(all, out)
    return 0
  }
  if (name === undefined) throw new UsageError('Name the edge.')
  if (what === 'add') {
    const [address, ...more] = options.address
    if (options.home === undefined)
      throw new UsageError('Give --home, the address by which the edge reaches this delivery.')
    if (more.length > 0) throw new UsageError('An edge has one --address.')
    const draft = { name, place: placeFrom(options.place), address: address ?? null, homeUrl: options.home }
    printToken(
      await callApi(access, 'POST', '/edges', EdgeWithToken, { ...draft, whenAway: 'ask-origin' }),
      access,
      options.json,
      out,
    )
    return 0
  }
  const edge = all.find((one) => one.name === name || one.id === name)
  if (edge === undefined)
    throw new CommandFailure(
      `There is no edge "${name}". There are: ${all.map((one) => one.name).join(', ') || 'none'}.`,
    )
  if (what === 'token') {
    printToken(await callApi(access, 'POST', `/edges/${edge.id}/tokens`, EdgeWithToken, {}), access, options.json, out)
    return 0
  }
  if (what === 'fill') {
    const { pages } = await callApi(access, 'POST', `/edges/${edge.id}/fills`, z.object({ pages: z.int() }), {})
    out.line(`${edge.name} fetches ${pages} pages from home.`)
    return 0
  }
  if (what === 'remove') {
    await callApi(access, 'DELETE', `/edges/${edge.id}`, z.undefined())
    out.line(`${edge.name} is removed: its machine gets nothing here any more.`)
    return 0
  }
  throw new UsageError('zest edges knows add, token, fill and remove.')
}
