import { RentedCdnState } from '../core/contracts/rented-cdn.ts'
import { callApi, CommandFailure, type ApiAccess } from './api.ts'
import { findSite, UsageError, type Output } from './command-line.ts'

const FAILED = 1

/** `zest cdn`: the CDN that a site rents, and what its responses say. @returns 1 where something differs @throws UsageError, CommandFailure */
export const cdn = async (
  access: ApiAccess,
  [name, what]: readonly string[],
  { json }: { readonly json: boolean },
  out: Output,
): Promise<number> => {
  if (what !== undefined && what !== 'check')
    throw new UsageError('"zest cdn SITE" shows the CDN; add "check" to compare.')
  const site = await findSite(access, name)
  const path = `/sites/${site.id}/rented-cdn`
  const state =
    what === 'check'
      ? await callApi(access, 'POST', `${path}/checks`, RentedCdnState)
      : await callApi(access, 'GET', path, RentedCdnState)
  if (json) {
    out.line(JSON.stringify(state.cdn, null, 2))
    return 0
  }
  if (state.cdn === null) throw new CommandFailure(`${site.name} rents no CDN. Enter one at Edges → Rented CDN.`)
  const { hostUrl, scope, check, problem, purge } = state.cdn
  out.line(
    `${hostUrl ?? 'no host name yet'}  ${scope === 'files' ? 'files only' : 'the whole site'}  from ${state.originUrl}`,
  )
  if (problem !== null) out.line(problem)
  if (typeof purge?.problem === 'string') out.line(`A purge did not reach the provider: ${purge.problem}`)
  const open = (check?.findings ?? []).filter((one) => one.state !== 'as-set')
  for (const { path: address, sentence, remedy } of open) out.line(`${address}  ${sentence} ${remedy ?? ''}`.trimEnd())
  if (check !== null && open.length === 0) out.line('Responses are as set.')
  return open.some((one) => one.state === 'differs') ? FAILED : 0
}
