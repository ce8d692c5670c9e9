import type { Queries } from '../content/database.ts'

export const escapeHtml = (text: string): string =>
  text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;').replaceAll('"', '&quot;')

/** What a page needs to know besides its own content. */
export interface PageContext {
  readonly db: Queries
  /** Scheme and host the visitor used, for absolute addresses. */
  readonly base: string
  readonly path: string
  readonly person: { name: string; role: string; shown: string } | undefined
  readonly basketCount: number
  /** Scheme and host of the third party. */
  readonly third: string
  /** Whether something in front fills in fragments (Edge Side Includes 1.0), so that the page itself can be the same for everyone. */
  readonly fragments: boolean
}

export interface Page {
  readonly title: string
  readonly body: string
}

const STYLES = ['framework', 'icons', 'theme', 'slider', 'forms']
const SCRIPTS = [
  'semaphore',
  'sextant',
  'compat',
  'ballast',
  'slider',
  'menu',
  'departures',
  'lightbox',
  'basket',
  'forms',
  'consent',
  'frames',
]

/** Each part of the frame asks the database for itself, as themes grown over years do. */
const frame = async ({ db }: PageContext): Promise<Record<string, string>> => {
  const names = [
    'site_name',
    'tagline',
    'phone',
    'address',
    'theme',
    'show_weather',
    'weather',
    'footer_note',
    'copyright',
    'language',
    'currency',
    'date_format',
  ]
  const parts: Record<string, string> = {}
  for (const name of names) parts[name] = await db.setting(name)
  const menu = await db.all('select id, title, path from menu where parent is null order by id')
  const entries: string[] = []
  for (const { id, title, path } of menu) {
    await db.all('select title, path from menu where parent = $1', id)
    entries.push(`<li><a href="${path}">${title}</a></li>`)
  }
  parts['menu'] = entries.join('')
  const recent: string[] = []
  for (const { slug } of await db.all('select slug from stories order by changed desc, slug limit 6')) {
    const story = await db.one('select title from stories where slug = $1', slug)
    const comments = await db.one("select count(*) as n from comments where story = $1 and state = 'shown'", slug)
    recent.push(
      `<li><a href="/stories/${slug}">${escapeHtml(story?.title ?? '')}</a> <small>${comments?.n} comments</small></li>`,
    )
  }
  parts['recent'] = recent.join('')
  const notices: string[] = []
  for (const { slug } of await db.all('select slug from notices order by changed desc, slug limit 5')) {
    const notice = await db.one('select title, quay from notices where slug = $1', slug)
    const quay = await db.one('select name from quays where slug = $1', notice?.quay)
    notices.push(
      `<li><a href="/notices/${slug}">${escapeHtml(notice?.title ?? '')}</a> <small>${quay?.name}</small></li>`,
    )
  }
  parts['notices'] = notices.join('')
  return parts
}

/** The corner of the page that differs from visitor to visitor. */
export const accountCorner = ({ person, basketCount }: PageContext): string => {
  const account =
    person === undefined
      ? '<a href="/sign-in">Sign in</a>'
      : `<span class="who">${escapeHtml(person.shown)}</span> <a href="/sign-out">Sign out</a>${person.role === 'editor' ? ' <a href="/editor">Edit</a>' : ''}`
  return `${account} <a class="basket-link" href="/basket">Basket (${basketCount})</a>`
}

/** The whole document. */
export const render = async (context: PageContext, page: Page): Promise<string> => {
  const f = await frame(context)
  const { base, path, third, db } = context
  const corner = context.fragments ? '<esi:include src="/fragments/account"/>' : accountCorner(context)
  return `<!DOCTYPE html>
<html lang="${f['language']}">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>${escapeHtml(page.title)} – ${f['site_name']}</title>
<link rel="canonical" href="${base}${path}">
${STYLES.map((name) => `<link rel="stylesheet" href="/assets/${name}.css?edition=2.${name.length}.1">`).join('\n')}
${SCRIPTS.map((name) => `<script src="/assets/${name}.js?edition=1.${name.length}.4"></script>`).join('\n')}
<script src="${third}/tag.js"></script>
</head>
<body class="theme-${f['theme']}">
<header class="site-head"><a class="brand" href="/">${f['site_name']}</a><p>${f['tagline']}</p>
<button class="menu-toggle" aria-expanded="false">Menu</button><nav class="main-menu"><ul>${f['menu']}</ul></nav>
<div class="account">${corner}</div></header>
<main>${page.body}</main>
<footer class="site-foot"><div><h2>Stories</h2><ul>${f['recent']}</ul></div><div><h2>Service notices</h2><ul>${f['notices']}</ul></div>
<div><h2>Find us</h2><p>${f['address']}<br>${f['phone']}</p><p>${f['show_weather'] === '1' ? f['weather'] : ''}</p><p>${f['footer_note']}</p></div></footer>
<!-- ${db.count} queries -->
</body>
</html>
`
}
