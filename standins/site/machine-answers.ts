import type { ServerResponse } from 'node:http'
import type { Handler } from './handler.ts'
import { accountCorner } from './pages/layout.ts'

/** Answers that are no pages: data for scripts, and for those who index the site. */

const sendJson = (res: ServerResponse, value: unknown): 'done' => {
  res.writeHead(200, { 'content-type': 'application/json' }).end(JSON.stringify(value))
  return 'done'
}

const sendText = (res: ServerResponse, text: string): 'done' => {
  res.writeHead(200, { 'content-type': 'text/plain; charset=utf-8' }).end(text)
  return 'done'
}

/** Who else edits right now: asked for again and again by the editor's script. */
export const editing: Handler = async ({ res }) => sendJson(res, { editing: [] })

export const robots: Handler = async ({ res, context }) =>
  sendText(res, `User-agent: *\nDisallow: /editor\nDisallow: /basket\n\nSitemap: ${context.base}/sitemap.xml\n`)

/** The corner of a page that is the visitor's own, by itself (Edge Side Includes). */
export const accountFragment: Handler = async ({ res, context }) => {
  res.writeHead(200, { 'content-type': 'text/html; charset=utf-8' }).end(accountCorner(context))
  return 'done'
}

export const departures: Handler = async ({ res, context: { db } }) => {
  const next = await db.all(
    'select s.leaves, q.name as quay, r.name as route from sailings s join quays q on q.slug = s.quay join routes r on r.slug = s.route order by s.leaves limit 30',
  )
  return sendJson(res, { departures: next })
}

export const sitemap: Handler = async ({ res, context: { db, base } }) => {
  const rows: [string, number, string | undefined][] = [['/', 1, undefined]]
  for (const [path, table, priority] of [
    ['timetables', 'routes', 0.8],
    ['quays', 'quays', 0.7],
    ['notices', 'notices', 0.9],
    ['stories', 'stories', 0.5],
    ['shop', 'items', 0.6],
    ['gallery', 'albums', 0.3],
  ] as const) {
    rows.push([`/${path}`, priority, undefined])
    const dated = table === 'notices' || table === 'stories'
    for (const row of await db.all<{ slug: string; changed?: Date }>(
      `select slug${dated ? ', changed' : ''} from ${table} order by slug`,
    ))
      rows.push([`/${path}/${row.slug}`, priority, row.changed?.toISOString()])
  }
  const body = rows.map(
    ([path, priority, changed]) =>
      `<url><loc>${base}${path}</loc>${changed === undefined ? '' : `<lastmod>${changed}</lastmod>`}<priority>${priority.toFixed(1)}</priority></url>`,
  )
  res.writeHead(200, { 'content-type': 'application/xml' })
  res.end(
    `<?xml version="1.0" encoding="UTF-8"?>\n<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">\n${body.join('\n')}\n</urlset>\n`,
  )
  return 'done'
}
