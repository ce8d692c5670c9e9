import type { IncomingMessage, ServerResponse } from 'node:http'
import type { Page, PageContext } from './pages/layout.ts'

/** What answers a request of the ferry site: a page to be rendered, nothing (there is no such page), or done already. */
export type Handler = (request: {
  req: IncomingMessage
  res: ServerResponse
  context: PageContext
  slug: string
  query: URLSearchParams
}) => Promise<Page | undefined | 'done'>

export const cookies = (req: IncomingMessage): Map<string, string> =>
  new Map(
    (req.headers.cookie ?? '')
      .split(';')
      .map((pair) => [pair.replace(/=.*/s, '').trim(), pair.split('=').slice(1).join('=')]),
  )

export const readForm = async (req: IncomingMessage): Promise<URLSearchParams> => {
  const chunks: Buffer[] = []
  for await (const chunk of req) chunks.push(chunk as Buffer)
  return new URLSearchParams(Buffer.concat(chunks).toString('utf8'))
}

export const redirect = (res: ServerResponse, to: string, cookie?: string): void => {
  res.writeHead(303, { location: to, ...(cookie === undefined ? {} : { 'set-cookie': cookie }) })
  res.end()
}
