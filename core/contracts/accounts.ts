import { z } from 'zod'

const name = z
  .string()
  .trim()
  .min(1, 'Give a name.')
  .max(100)
  .describe('What the account signs in with, such as an e-mail address')

export const Account = z.object({ id: z.string(), name: z.string() })
export type Account = z.infer<typeof Account>

export const SignIn = z.strictObject({ name, password: z.string().min(1).max(200) })
export type SignIn = z.infer<typeof SignIn>

/** NIST SP 800-63B §5.1.1.2 asks for at least eight characters and no rules on composition. */
export const NewAccount = z.strictObject({
  name,
  password: z.string().min(8, 'A password has at least 8 characters.').max(200),
})
export type NewAccount = z.infer<typeof NewAccount>

export const Welcome = z.object({
  account: Account.nullable().describe('Who is signed in'),
  firstAccount: z.boolean().describe('True while no account exists: the first one can be made without signing in'),
  notice: z.string().describe('What the operator wants to be read on the sign-in page'),
})
export type Welcome = z.infer<typeof Welcome>

export const ApiToken = z.object({
  id: z.string(),
  name: z.string(),
  createdAt: z.iso.datetime(),
  lastUsedAt: z.iso.datetime().nullable(),
})
export type ApiToken = z.infer<typeof ApiToken>

export const NewApiToken = z.strictObject({ name: z.string().trim().min(1).max(100) })
export const MadeApiToken = ApiToken.extend({ token: z.string().describe('Shown this once only') })
export type MadeApiToken = z.infer<typeof MadeApiToken>
