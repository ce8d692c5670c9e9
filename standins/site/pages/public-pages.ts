import { escapeHtml, type Page, type PageContext } from './layout.ts'

const picture = (name: string, alt: string): string => `<img src="/media/${name}.jpg" alt="${escapeHtml(alt)}">`
const pounds = (pence: number | string): string => `£${(Number(pence) / 100).toFixed(2)}`
const card = (href: string, name: string, title: string, text = ''): string =>
  `<a class="card" href="${href}">${picture(name, title)}<h3>${escapeHtml(title)}</h3>${text === '' ? '' : `<p>${text}</p>`}</a>`

/** Next sailing of a quay: one query for each quay shown. */
const nextSailing = async ({ db }: PageContext, quay: string): Promise<string> =>
  (await db.one('select leaves, route from sailings where quay = $1 order by leaves limit 1', quay))?.leaves ?? '–'

export const home = async (context: PageContext): Promise<Page> => {
  const { db, third } = context
  const speed = await db.setting('slider_speed')
  const quays: string[] = []
  for (const quay of await db.all('select slug, name, picture from quays order by name'))
    quays.push(
      card(`/quays/${quay.slug}`, quay.picture, quay.name, `First boat ${await nextSailing(context, quay.slug)}`),
    )
  const vessels = (await db.all('select slug, name, picture from vessels')).map((v) =>
    card('/quays', v.picture, v.name),
  )
  const stories: string[] = []
  for (const story of await db.all('select slug, title, picture from stories order by changed desc, slug limit 12')) {
    await db.one("select count(*) from comments where story = $1 and state = 'shown'", story.slug)
    stories.push(card(`/stories/${story.slug}`, story.picture, story.title))
  }
  const items = (await db.all('select slug, name, picture, price_pence from items')).map((i) =>
    card(`/shop/${i.slug}`, i.picture, i.name, pounds(i.price_pence)),
  )
  const photos = (await db.all('select album, picture, caption from photos order by id limit 20')).map((p) =>
    card(`/gallery/${p.album}`, p.picture, p.caption),
  )
  return {
    title: 'Home',
    body: `<section class="slider" data-speed="${speed}">${[1, 2, 3].map((n) => `<div class="slide">${picture(`hero-${n}`, 'The sound')}<h1>${['Across the sound in half an hour', 'Four boats, all weathers', 'Bring the bicycle'][n - 1]}</h1></div>`).join('')}</section>
<section id="departures" class="departures" data-feed="/api/departures"><h2>Next departures</h2><p>Loading…</p></section>
<h2>Our quays</h2><section class="grid">${quays.join('')}</section>
<h2>Our boats</h2><section class="grid">${vessels.join('')}</section>
<h2>A film from the deck</h2><iframe class="film" src="${third}/embed/deck" width="640" height="360" title="A film from the deck"></iframe>
<h2>Stories</h2><section class="grid">${stories.join('')}</section>
<h2>Tickets and things</h2><section class="grid">${items.join('')}</section>
<h2>Gallery</h2><section class="grid">${photos.join('')}</section>`,
  }
}

export const timetables = async ({ db }: PageContext): Promise<Page> => ({
  title: 'Timetables',
  body: `<h1>Timetables</h1><ul>${(await db.all('select slug, name from routes order by name')).map((r) => `<li><a href="/timetables/${r.slug}">${r.name}</a></li>`).join('')}</ul>`,
})

export const timetable = async ({ db }: PageContext, slug: string): Promise<Page | undefined> => {
  const route = await db.one('select * from routes where slug = $1', slug)
  if (route === undefined) return undefined
  const rows: string[] = []
  for (const quay of await db.all('select slug, name from quays order by name')) {
    const sailings = await db.all(
      'select leaves from sailings where route = $1 and quay = $2 order by leaves',
      slug,
      quay.slug,
    )
    rows.push(`<tr><th>${quay.name}</th>${sailings.map((s) => `<td>${s.leaves}</td>`).join('')}</tr>`)
  }
  return {
    title: route.name,
    body: `<h1>${route.name}</h1><p>${route.about}</p><table class="times">${rows.join('')}</table>`,
  }
}

export const quays = async (context: PageContext): Promise<Page> => {
  const cards: string[] = []
  for (const quay of await context.db.all('select slug, name, picture from quays order by name'))
    cards.push(
      card(`/quays/${quay.slug}`, quay.picture, quay.name, `First boat ${await nextSailing(context, quay.slug)}`),
    )
  return { title: 'Quays', body: `<h1>Quays</h1><section class="grid">${cards.join('')}</section>` }
}

export const quay = async ({ db }: PageContext, slug: string): Promise<Page | undefined> => {
  const found = await db.one('select * from quays where slug = $1', slug)
  if (found === undefined) return undefined
  const routes: string[] = []
  for (const route of await db.all('select slug, name from routes order by name')) {
    const sailings = await db.all(
      'select leaves from sailings where route = $1 and quay = $2 order by leaves',
      route.slug,
      slug,
    )
    routes.push(
      `<li><a href="/timetables/${route.slug}">${route.name}</a>: ${sailings.map((s) => s.leaves).join(', ')}</li>`,
    )
  }
  const notices = await db.all('select slug, title from notices where quay = $1', slug)
  return {
    title: found.name,
    body: `<h1>${found.name}</h1>${picture(found.picture, found.name)}<p>${found.about}</p><ul>${routes.join('')}</ul><h2>Notices here</h2><ul>${notices.map((n) => `<li><a href="/notices/${n.slug}">${escapeHtml(n.title)}</a></li>`).join('')}</ul>`,
  }
}

export const notices = async ({ db }: PageContext): Promise<Page> => ({
  title: 'Service notices',
  body: `<h1>Service notices</h1><ul>${(await db.all('select slug, title from notices order by changed desc, slug')).map((n) => `<li><a href="/notices/${n.slug}">${escapeHtml(n.title)}</a></li>`).join('')}</ul>`,
})

export const notice = async ({ db }: PageContext, slug: string): Promise<Page | undefined> => {
  const found = await db.one(
    'select n.title, n.body, q.name, q.picture from notices n join quays q on q.slug = n.quay where n.slug = $1',
    slug,
  )
  if (found === undefined) return undefined
  return {
    title: found.title,
    body: `<article class="notice"><h1>${escapeHtml(found.title)}</h1><p class="where">${found.name}</p><p class="notice-text">${escapeHtml(found.body)}</p>${picture(found.picture, found.name)}</article>`,
  }
}

export const stories = async ({ db }: PageContext): Promise<Page> => ({
  title: 'Stories',
  body: `<h1>Stories</h1><section class="grid">${(await db.all('select slug, title, picture from stories order by changed desc, slug')).map((s) => card(`/stories/${s.slug}`, s.picture, s.title)).join('')}</section>`,
})

export const story = async ({ db }: PageContext, slug: string): Promise<Page | undefined> => {
  const found = await db.one('select * from stories where slug = $1', slug)
  if (found === undefined) return undefined
  const comments = await db.all(
    "select name, body from comments where story = $1 and state = 'shown' order by id",
    slug,
  )
  return {
    title: found.title,
    body: `<article><h1>${escapeHtml(found.title)}</h1>${picture(found.picture, found.title)}<p class="by">${found.author}</p>${found[
      'body'
    ]!.split('. ')
      .map((s) => `<p>${escapeHtml(s)}</p>`)
      .join('')}</article>
<section class="comments"><h2>Comments</h2>${comments.map((c) => `<blockquote><b>${escapeHtml(c.name)}</b><p>${escapeHtml(c.body)}</p></blockquote>`).join('')}
<form method="post" action="/stories/${slug}/comments"><label>Your name <input name="name" required></label><label>Comment <textarea name="body" required></textarea></label><button>Send comment</button></form></section>`,
  }
}

export const shop = async ({ db }: PageContext): Promise<Page> => ({
  title: 'Shop',
  body: `<h1>Tickets and things</h1><section class="grid">${(await db.all('select * from items order by name')).map((i) => card(`/shop/${i.slug}`, i.picture, i.name, pounds(i.price_pence))).join('')}</section>`,
})

export const item = async ({ db }: PageContext, slug: string): Promise<Page | undefined> => {
  const found = await db.one('select * from items where slug = $1', slug)
  if (found === undefined) return undefined
  return {
    title: found.name,
    body: `<h1>${found.name}</h1>${picture(found.picture, found.name)}<p>${found.about}</p><p class="price">${pounds(found.price_pence)}</p><form method="post" action="/basket"><input type="hidden" name="item" value="${slug}"><button>Put into basket</button></form>`,
  }
}

export const gallery = async ({ db }: PageContext): Promise<Page> => {
  const cards: string[] = []
  for (const album of await db.all('select slug, name from albums order by name')) {
    const first = await db.one('select picture from photos where album = $1 order by id limit 1', album.slug)
    cards.push(card(`/gallery/${album.slug}`, first!.picture, album.name))
  }
  return { title: 'Gallery', body: `<h1>Gallery</h1><section class="grid">${cards.join('')}</section>` }
}

export const album = async ({ db }: PageContext, slug: string): Promise<Page | undefined> => {
  const found = await db.one('select name from albums where slug = $1', slug)
  if (found === undefined) return undefined
  const photos = await db.all('select picture, caption from photos where album = $1 order by id', slug)
  return {
    title: found.name,
    body: `<h1>${found.name}</h1><section class="grid">${photos.map((p) => card(`/media/${p.picture}.jpg`, p.picture, p.caption)).join('')}</section>`,
  }
}

export const search = async ({ db }: PageContext, words: string): Promise<Page> => {
  const found =
    words === ''
      ? []
      : await db.all('select slug, title from stories where title ilike $1 or body ilike $1 limit 20', `%${words}%`)
  return {
    title: 'Search',
    body: `<h1>Search</h1><form><label>Words <input name="q" value="${escapeHtml(words)}"></label><button>Search</button></form><ul>${found.map((s) => `<li><a href="/stories/${s.slug}">${escapeHtml(s.title)}</a></li>`).join('')}</ul>`,
  }
}
