import type { ChangesQuery, PageChanges } from '../../core/contracts/delivery.ts'
import { PAGE_ACCEPT } from '../../core/http/device.ts'
import type { FetchIo, FetchContext } from '../fetch/fetch-context.ts'
import type { PageRewriter } from './page-rewriter.ts'
import { publicHost } from '../request/parse-request.ts'

/** What the remedies of a channel do to a page right now. */
export const changesOf = async (
  { siteId, channel, host, path, device, scheme }: ChangesQuery,
  io: FetchIo & { readonly rewriter: PageRewriter },
): Promise<PageChanges> => {
  const untouched = (why: string): PageChanges => ({
    untouched: why,
    bytesBefore: 0,
    bytesAfter: 0,
    changes: [],
  })
  const [hostName, route] =
    [...io.routes()].find(
      ([name, one]) => one.siteId === siteId && one.channel === channel && (host === undefined || host === name),
    ) ?? []
  if (route === undefined || hostName === undefined) return untouched('The site is not delivered at present.')
  if (route.rewriting === undefined) return untouched('No remedy that rewrites pages or files is switched on.')
  const url = new URL(path, 'http://site')
  const context: FetchContext = {
    io,
    route,
    visitor: { address: '127.0.0.1', hostName, host: publicHost(hostName, scheme, io), scheme },
    method: 'GET',
    target: url.pathname + url.search,
    path: url.pathname,
    fields: [
      ['sec-ch-ua-mobile', device === 'phone' ? '?1' : '?0'],
      ['accept', PAGE_ACCEPT],
    ],
    rule: route.ruleFor(url.pathname),
    audience: { kind: 'everyone' },
  }
  const result = await io.rewriter.changes(context)
  if (result.kind === 'failed')
    return untouched(
      `Rewriting this page failed, so it goes out as it came. It is tried again after ${new Date(result.againAt).toUTCString()}, and after a purge. What went wrong: ${result.why}`,
    )
  if (result.kind === 'untouched')
    return untouched(
      'The page passes through as it came: the origin did not send a page in UTF-8 or a single-byte encoding, or it is larger than 5 MB.',
    )
  return {
    untouched: null,
    bytesBefore: result.bytesBefore,
    bytesAfter: result.bytes.length,
    changes: [...result.changes],
  }
}
