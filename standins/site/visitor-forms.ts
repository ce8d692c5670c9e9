import { randomBytes } from 'node:crypto'
import { tellOfChange } from './events.ts'
import { cookies, readForm, redirect, type Handler } from './handler.ts'
import { escapeHtml } from './pages/layout.ts'
import * as personal from './pages/personal-pages.ts'

/** What visitors send: who they are, what they buy, what they say. */

export const signIn: Handler = async ({ req, res, context }) => {
  const form = await readForm(req)
  const person = await context.db.one(
    'select name, role from people where name = $1 and password = $2',
    form.get('name'),
    form.get('password'),
  )
  if (person === undefined) return personal.signIn('The name or the password is wrong.')
  const token = randomBytes(16).toString('hex')
  await context.db.all('insert into sessions values ($1, $2)', token, person.name)
  redirect(
    res,
    person.role === 'editor' ? '/editor' : '/account',
    `ferry_session=${token}; Path=/; HttpOnly; SameSite=Lax`,
  )
  return 'done'
}

export const putIntoBasket: Handler = async ({ req, res, context }) => {
  const form = await readForm(req)
  const token = cookies(req).get('ferry_basket') ?? randomBytes(12).toString('hex')
  await context.db.all(
    'insert into baskets values ($1, $2, 1) on conflict (token, item) do update set amount = baskets.amount + 1',
    token,
    form.get('item'),
  )
  redirect(res, '/basket', `ferry_basket=${token}; Path=/; HttpOnly; SameSite=Lax`)
  return 'done'
}

export const comment =
  (eventTarget: string): Handler =>
  async ({ req, res, context, slug }) => {
    const form = await readForm(req)
    await context.db.all(
      'insert into comments (story, name, body) values ($1, $2, $3)',
      slug,
      escapeHtml(form.get('name') ?? ''),
      form.get('body') ?? '',
    )
    await tellOfChange(eventTarget, `comment on ${slug}`, [`/stories/${slug}`, '/'])
    const name = encodeURIComponent(form.get('name') ?? '')
    redirect(res, `/stories/${slug}`, `guest_comment_author=${name}; Path=/; Max-Age=2592000; SameSite=Lax`)
    return 'done'
  }
