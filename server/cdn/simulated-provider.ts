import { z } from 'zod'
import { CdnFigures } from '../../core/contracts/rented-cdn.ts'
import { Region } from '../../core/contracts/regions.ts'
import { askOutside, OutsideFailure } from '../net/outside-request.ts'
import { CdnFailure, type CdnAccount, type CdnProvider } from './cdn-provider.ts'

const TIMEOUT_MS = 10_000
const MOST_BYTES = 1024 * 1024
/** Where visitors come to: scheme and host, whatever else a provider writes. */
const HostUrl = z.url({ protocol: /^https?$/ }).transform((url) => new URL(url).origin)
const Made = z.object({ id: z.string().max(200), hosts: z.array(HostUrl).min(1).max(20) })
const Hosts = z.object({ hosts: z.array(HostUrl).max(20) })

const WHY: Record<number, string> = {
  401: 'The provider does not accept the token. Copy it again from your account there.',
  403: 'The provider does not allow this token to do that. Give it the right to manage distributions.',
  404: 'The provider does not know this distribution any more. Set it up again.',
  429: 'The provider turns requests away for now. Try again in some minutes.',
}

/** Ask the API. @throws CdnFailure */
const ask = async <T>(
  { apiAddress, token, reach }: CdnAccount,
  path: string,
  schema: z.ZodType<T>,
  form?: Record<string, string>,
): Promise<T> => {
  const answer = await askOutside(`${apiAddress}${path}`, {
    reach,
    timeoutMs: TIMEOUT_MS,
    mostBytes: MOST_BYTES,
    fields: { authorization: `Bearer ${token}` },
    ...(form === undefined ? {} : { form }),
  }).catch((error: unknown) => {
    if (error instanceof OutsideFailure) throw new CdnFailure(`The provider’s API cannot be asked: ${error.message}`)
    throw error
  })
  if (answer.status !== 200)
    throw new CdnFailure(
      WHY[answer.status] ?? `The provider’s API answered with status ${answer.status}. Try again later.`,
    )
  try {
    return schema.parse(JSON.parse(answer.body.toString('utf8')))
  } catch {
    throw new CdnFailure('The provider’s API answered with something that is not understood. Check its address.')
  }
}

/** The provider that ships with the demo (standins/cdn), and the pattern for others. */
export const simulatedProvider: CdnProvider = {
  regions: (account) => ask(account, '/v1/regions', z.array(Region).max(60)),
  create: async (account, { originUrl, reference }) => {
    const { id, hosts } = await ask(account, '/v1/distributions', Made, { origin: originUrl, reference })
    return { id, hostUrls: hosts }
  },
  hostUrls: async (account, id) =>
    (await ask(account, `/v1/distributions/${encodeURIComponent(id)}/hosts`, Hosts)).hosts,
  purge: async (account, id, what) => {
    const path = `/v1/distributions/${encodeURIComponent(id)}/purges`
    if (what.kind === 'everything') return void (await ask(account, path, z.object({}), { everything: '1' }))
    for (const one of what.paths) await ask(account, path, z.object({}), { path: one })
  },
  figures: (account, id) => ask(account, `/v1/distributions/${encodeURIComponent(id)}/figures`, CdnFigures),
}
