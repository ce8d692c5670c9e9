import type { Context } from 'koa'
import { z } from 'zod'
import {
  Account,
  ApiToken,
  MadeApiToken,
  NewAccount,
  NewApiToken,
  SignIn,
  Welcome,
} from '../../core/contracts/accounts.ts'
import {
  anyAccount,
  createAccount,
  createApiToken,
  deleteApiToken,
  listApiTokens,
  signIn,
  signOut,
} from '../accounts/accounts.ts'
import { SignInLimit } from '../accounts/sign-in-limit.ts'
import { errors } from '../errors.ts'
import { OPERATOR, SESSION_COOKIE } from '../http/authentication.ts'
import { endpoint, type Endpoint } from '../http/endpoint.ts'
import type { Services } from '../services.ts'

const setCookie = (ctx: Context, token: string, expires: Date): void => {
  ctx.cookies.set(SESSION_COOKIE, token, { httpOnly: true, sameSite: 'strict', expires, overwrite: true })
}

export const accountEndpoints = ({ db, now, signInNotice }: Services): Endpoint[] => {
  const limit = new SignInLimit()

  const openSession = async (ctx: Context, credentials: SignIn): Promise<Account> => {
    const at = now()
    const minutes = limit.minutesToWait(credentials.name, at.getTime())
    if (minutes > 0) throw errors.tooManyTries(minutes)
    try {
      const { account, token, expiresAt } = await signIn(db, credentials, at)
      limit.succeeded(credentials.name)
      setCookie(ctx, token, expiresAt)
      return account
    } catch (error) {
      limit.failed(credentials.name, at.getTime())
      throw error
    }
  }

  return [
    endpoint(
      {
        method: 'get',
        path: '/welcome',
        summary: 'Who is signed in, and whether a first account is to be made',
        access: 'open',
        reply: Welcome,
      },
      async ({ account }) => ({
        account: account ?? null,
        firstAccount: !(await anyAccount(db)),
        notice: signInNotice,
      }),
    ),
    endpoint(
      {
        method: 'post',
        path: '/first-account',
        summary: 'Make the first account and sign in',
        access: 'open',
        input: { body: NewAccount },
        reply: Account,
        status: 201,
      },
      async ({ body, ctx }) => {
        if (await anyAccount(db)) throw errors.accountsExist()
        await createAccount(db, body, now())
        return openSession(ctx, body)
      },
    ),
    endpoint(
      {
        method: 'post',
        path: '/accounts',
        summary: 'Make a further account',
        input: { body: NewAccount },
        reply: Account,
        status: 201,
      },
      async ({ body }) => createAccount(db, body, now()),
    ),
    endpoint(
      {
        method: 'post',
        path: '/session',
        summary: 'Sign in',
        access: 'open',
        input: { body: SignIn },
        reply: Account,
      },
      async ({ body, ctx }) => openSession(ctx, body),
    ),
    endpoint({ method: 'delete', path: '/session', summary: 'Sign out', access: 'open' }, async ({ ctx }) => {
      const token = ctx.cookies.get(SESSION_COOKIE)
      if (token !== undefined) await signOut(db, token)
      ctx.cookies.set(SESSION_COOKIE, null)
    }),
    endpoint(
      { method: 'get', path: '/tokens', summary: 'API tokens of this account', reply: z.array(ApiToken) },
      async ({ account }) => listApiTokens(db, account!.id),
    ),
    endpoint(
      {
        method: 'post',
        path: '/tokens',
        summary: 'Make an API token',
        input: { body: NewApiToken },
        reply: MadeApiToken,
        status: 201,
      },
      async ({ account, body }) => {
        if (account!.id === OPERATOR.id) throw errors.noTokenAccount()
        return createApiToken(db, account!.id, body.name, now())
      },
    ),
    endpoint(
      {
        method: 'delete',
        path: '/tokens/:tokenId',
        summary: 'Delete an API token',
        input: { params: z.object({ tokenId: z.string() }) },
      },
      async ({ account, params }) => deleteApiToken(db, account!.id, params.tokenId),
    ),
  ]
}
