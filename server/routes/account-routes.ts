import type { HasDatabase } from '../db/database.ts'
import type { HasClock } from '../live/clock.ts'
import type { Context } from 'koa'
import pLimit from 'p-limit'
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
  createFirstAccount,
  createApiToken,
  deleteApiToken,
  listApiTokens,
  signIn,
  signOut,
} from '../accounts/accounts.ts'
import { SignInLimit } from '../accounts/sign-in-limit.ts'
import { errors } from '../errors/app-errors.ts'
import { OPERATOR, SESSION_COOKIE } from '../http/authentication.ts'
import { endpoint, type Endpoint } from '../http/endpoint.ts'

/** Passwords checked at a time, and how many more may wait for it. */
const CHECKED_AT_ONCE = 2
const MOST_WAITING = 100

const setCookie = (ctx: Context, token: string, expires: Date): void => {
  ctx.cookies.set(SESSION_COOKIE, token, {
    httpOnly: true,
    sameSite: 'strict',
    secure: ctx.secure,
    expires,
    overwrite: true,
  })
}

type AccountIo = HasDatabase & HasSignInNotice & HasClock
type OpenSession = (ctx: Context, credentials: SignIn) => Promise<Account>

/** Signing in, with a bound on how often it is tried and on how many are checked at once. */
const sessionOpener = ({ db, now }: HasDatabase & HasClock): OpenSession => {
  const limit = new SignInLimit()
  const checking = pLimit(CHECKED_AT_ONCE)
  return async (ctx, credentials) => {
    const at = now()
    const address = ctx.req.socket.remoteAddress ?? ''
    const minutes = limit.begin(credentials.name, address, at.getTime())
    if (minutes > 0) throw errors.tooManyTries(minutes)
    // Each check keeps a core busy for a moment; a crowd of them must not keep everybody else waiting.
    if (checking.pendingCount >= MOST_WAITING) throw errors.tooManyTries(1)
    const { account, token, expiresAt } = await checking(() => signIn(db, credentials, at))
    limit.succeeded(credentials.name, address)
    setCookie(ctx, token, expiresAt)
    return account
  }
}

/** Accounts, signing in and out. */
const sessions = ({ db, now, signInNotice }: AccountIo, openSession: OpenSession): Endpoint[] => [
  endpoint(
    {
      method: 'get',
      path: '/welcome',
      summary: 'Who is signed in, and whether a first account must be created',
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
      summary: 'Create the first account and sign in',
      access: 'open',
      input: { body: NewAccount },
      reply: Account,
      status: 201,
    },
    async ({ body, ctx }) => {
      await createFirstAccount(db, body, now())
      return openSession(ctx, body)
    },
  ),
  endpoint(
    {
      method: 'post',
      path: '/accounts',
      summary: 'Create another account',
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
]

/** API tokens of the account that asks. */
const apiTokens = ({ db, now }: HasDatabase & HasClock): Endpoint[] => [
  endpoint(
    { method: 'get', path: '/tokens', summary: 'API tokens of this account', reply: z.array(ApiToken) },
    async ({ account }) => listApiTokens(db, account.id),
  ),
  endpoint(
    {
      method: 'post',
      path: '/tokens',
      summary: 'Create an API token',
      input: { body: NewApiToken },
      reply: MadeApiToken,
      status: 201,
    },
    async ({ account, body }) => {
      if (account.id === OPERATOR.id) throw errors.noTokenAccount()
      return createApiToken(db, account.id, body.name, now())
    },
  ),
  endpoint(
    {
      method: 'delete',
      path: '/tokens/:tokenId',
      summary: 'Delete an API token',
      input: { params: z.object({ tokenId: z.string() }) },
    },
    async ({ account, params }) => deleteApiToken(db, account.id, params.tokenId),
  ),
]

export const accountEndpoints = (io: AccountIo): Endpoint[] => [...sessions(io, sessionOpener(io)), ...apiTokens(io)]

export interface HasSignInNotice {
  /** Read on the sign-in page. */
  readonly signInNotice: string
}
