import { readSetting, writeSetting } from './content/object-cache.ts'
import { tellOfChange } from './events.ts'
import { readForm, redirect, type Handler } from './handler.ts'
import type { PageContext } from './pages/layout.ts'
import * as personal from './pages/personal-pages.ts'
import { slugOf } from './content/seed.ts'

/** What the site's editor does; every change is told to whoever keeps copies. @see events.ts */

const allPaths = async ({ db }: PageContext): Promise<string[]> => {
  const paths = ['/', '/timetables', '/quays', '/notices', '/stories', '/shop', '/gallery']
  for (const [path, table] of [
    ['timetables', 'routes'],
    ['quays', 'quays'],
    ['notices', 'notices'],
    ['stories', 'stories'],
    ['shop', 'items'],
    ['gallery', 'albums'],
  ])
    for (const { slug } of await db.all(`select slug from ${table}`)) paths.push(`/${path}/${slug}`)
  return paths
}

/** The editor's area, or the form of one thing in it. */
export const editorArea: Handler = async ({ context, slug }) => {
  if (context.person?.role !== 'editor') return personal.signIn('Sign in as the editor first.')
  const [kind = '', id = ''] = slug.split('/')
  return slug === '' ? personal.editorArea(context) : personal.editForm(context, kind, id)
}

export const saveEdit =
  (eventTarget: string): Handler =>
  async ({ req, res, context, slug }) => {
    if (context.person?.role !== 'editor') return personal.signIn('Sign in as the editor first.')
    const [kind = '', id = ''] = slug.split('/')
    const editable = personal.editableFields(kind)
    if (editable === undefined) return undefined
    const form = await readForm(req)
    for (const name of editable.fields)
      if (form.get(name) !== null)
        await context.db.all(`update ${editable.table} set ${name} = $1 where slug = $2`, form.get(name), id)
    if (kind !== 'prices') await context.db.all(`update ${editable.table} set changed = now() where slug = $1`, id)
    const list = kind === 'prices' ? '/shop' : `/${kind}`
    // Newest notices and stories stand in every footer, so an edit changes every page that shows them.
    const everywhere = kind === 'prices' ? [`${list}/${id}`, list, '/'] : await allPaths(context)
    await tellOfChange(eventTarget, `${kind} ${id} edited`, everywhere)
    redirect(res, `${list}/${id}`)
    return 'done'
  }

export const publishNotice =
  (eventTarget: string): Handler =>
  async ({ req, res, context }) => {
    if (context.person?.role !== 'editor') return personal.signIn('Sign in as the editor first.')
    const form = await readForm(req)
    const title = form.get('title') ?? ''
    const slug = slugOf(title)
    const [made] = await context.db.all<{ slug: string }>(
      'insert into notices (slug, title, body, quay) values ($1, $2, $3, $4) on conflict do nothing returning slug',
      slug,
      title,
      form.get('body') ?? '',
      form.get('quay') ?? 'old-pier',
    )
    if (made === undefined) return { title: 'New notice', body: '<h1>There is a notice by this title already</h1>' }
    await tellOfChange(eventTarget, `notices ${slug} published`, await allPaths(context))
    redirect(res, `/notices/${slug}`)
    return 'done'
  }

/** Where the site keeps results of its database, if anywhere. */
export const objectCacheForm =
  (file: string): Handler =>
  async ({ context }) =>
    context.person?.role === 'editor'
      ? personal.objectCacheForm(await readSetting(file))
      : personal.signIn('Sign in as the editor first.')

export const saveObjectCache =
  (file: string): Handler =>
  async ({ req, res, context }) => {
    if (context.person?.role !== 'editor') return personal.signIn('Sign in as the editor first.')
    const form = await readForm(req)
    const url = form.get('url')?.trim() ?? ''
    if (url !== '' && !/^rediss?:\/\//.test(url))
      return { title: 'Object cache', body: '<h1>An address begins with redis:// or rediss://</h1>' }
    const before = await readSetting(file)
    // The address is not shown again: left empty it stays.
    await writeSetting(file, { on: form.get('on') === 'on', url: url === '' ? before.url : url })
    redirect(res, '/editor/object-cache')
    return 'done'
  }
