import { Agent } from 'node:https'
import type * as Acme from 'acme-client'
import type { Authorization, Client, Order } from 'acme-client'
import type { AcmeChallenge, TextRecord } from '../../core/contracts/certificates.ts'
import type { ChallengeAnswer } from '../../core/contracts/delivery-config.ts'
import { refusePrivate, type PrivateAddresses } from '../../core/http/private-addresses.ts'
import { askOutside } from '../net/outside-request.ts'
import { guardedLookup } from '../../process/guarded-lookup.ts'

/** What is needed to talk to a certificate authority. */
export interface AcmeAccount {
  readonly directory: string
  readonly contact: string
  /** PEM. */
  readonly accountKey: string
  readonly accountUrl: string | null
  readonly external: { readonly keyId: string; readonly key: string } | null
  /** Whether the authority may stand in a private network. */
  readonly reach: PrivateAddresses
  /** PEM of whoever vouches for a private authority; undefined: those that this machine trusts. */
  readonly trusted: string | undefined
}

/** How the authority can convince itself. */
export interface Proofs {
  /** The answer can be asked for, from now on. */
  readonly publish: (answers: readonly ChallengeAnswer[]) => Promise<void>
  /** @returns whether the record is to be seen in the DNS */
  readonly isVisible: (record: TextRecord) => Promise<boolean>
}

export type OrderOutcome =
  | { readonly kind: 'issued'; readonly certificate: string; readonly key: string }
  /** The owner has to enter a record first. */
  | { readonly kind: 'record-missing'; readonly record: TextRecord; readonly orderUrl: string }

/** What is told on the way. */
export interface OrderProgress {
  readonly onAccount: (accountUrl: string) => Promise<void>
  readonly onOrder: (orderUrl: string) => Promise<void>
  readonly onStep: (step: number, words: string) => Promise<void>
}

/** Steps that are told. */
export const ORDER_STEPS = 4

const TIMEOUT_MS = 30_000
const MOST_BYTES = 1_000_000
/** How often the authority is asked whether it is convinced, ms. */
const ASK_MS = 1000
const LONGEST_ASK_MS = 10_000
const ASKS = 30

/** The authority refused, or cannot be reached; the sentence says what it said. */
export class AcmeRefusal extends Error {}

/** The authority is not convinced that the host is ours. */
export class ProofRefused extends Error {}

/** Looks at every address before it is asked. */
let guard: number | undefined

/** The library's own requests go where the owner allows. It has one setting for all; certificates are got one after the other. */
const openClient = async (account: AcmeAccount): Promise<{ client: Client; acme: typeof Acme }> => {
  const acme = await import('acme-client')
  const { directory, reach, trusted } = account
  const { defaults, interceptors } = acme.axios
  defaults.httpsAgent = new Agent({ lookup: guardedLookup(reach), ...(trusted !== undefined && { ca: trusted }) })
  defaults.proxy = false
  defaults.timeout = TIMEOUT_MS
  defaults.maxContentLength = MOST_BYTES
  defaults.maxRedirects = 0
  // An authority may ask for hours of patience; when it is tried again is decided here.
  Object.assign(defaults, { acmeSettings: { retryMaxAttempts: 0, retryDefaultDelay: 1 } })
  if (guard !== undefined) interceptors.request.eject(guard)
  guard = interceptors.request.use((request) => {
    const { protocol, hostname } = new URL(request.url ?? '')
    if (protocol !== 'https:') throw new AcmeRefusal(`The authority names an address without https: ${request.url}.`)
    // Names are looked at when they are looked up.
    refusePrivate(hostname, reach)
    return request
  })
  const client = new acme.Client({
    directoryUrl: directory,
    accountKey: account.accountKey,
    ...(account.accountUrl !== null && { accountUrl: account.accountUrl }),
    ...(account.external !== null && {
      externalAccountBinding: { kid: account.external.keyId, hmacKey: account.external.key },
    }),
    backoffMin: ASK_MS,
    backoffMax: LONGEST_ASK_MS,
    backoffAttempts: ASKS,
  })
  return { client, acme }
}

/** A key for an account with an authority, PEM. */
export const newAccountKey = async (): Promise<string> => {
  const { crypto } = await import('acme-client')
  return (await crypto.createPrivateEcdsaKey('P-256')).toString()
}

const openOrder = async (client: Client, host: string, url: string | null): Promise<Order> => {
  if (url !== null) {
    const known = await client.getOrder({ url } as Order).catch(() => undefined)
    if (known !== undefined && ['pending', 'ready'].includes(known.status)) return known
  }
  return client.createOrder({ identifiers: [{ type: 'dns', value: host }] })
}

const challengeOf = ({ challenges }: Authorization, kind: AcmeChallenge) => {
  const found = challenges.find(({ type }) => type === kind)
  if (found === undefined)
    throw new AcmeRefusal(
      `The authority offers no ${kind} for this name, but ${challenges.map(({ type }) => type).join(', ')}.`,
    )
  return found
}

/** Prove that the host is ours. @returns the record that is missing in the DNS; undefined: done */
const prove = async (
  client: Client,
  authorization: Authorization,
  kind: AcmeChallenge,
  proofs: Proofs,
): Promise<TextRecord | undefined> => {
  const challenge = challengeOf(authorization, kind)
  const answer = await client.getChallengeKeyAuthorization(challenge)
  if (kind === 'dns-01') {
    const record = { name: `_acme-challenge.${authorization.identifier.value}`, value: answer }
    if (!(await proofs.isVisible(record))) return record
  } else await proofs.publish([{ token: challenge.token, answer }])
  await client.completeChallenge(challenge)
  await client.waitForValidStatus(challenge).catch((error: Error) => {
    throw new ProofRefused(error.message)
  })
  return undefined
}

/** The library tells nothing of a server that cannot be reached. @throws OutsideFailure */
const lookAtDirectory = async ({ directory, reach, trusted }: AcmeAccount): Promise<void> => {
  const { status } = await askOutside(directory, { reach, trusted, timeoutMs: TIMEOUT_MS, mostBytes: MOST_BYTES })
  if (status !== 200)
    throw new AcmeRefusal(`${directory} answers with status ${status}. Check the address of the directory.`)
}

/**
 * Get a certificate for one host (RFC 8555 §7): account, order, proof, and the certificate itself, with a key of its own.
 * @param orderUrl an order that an earlier try has begun
 * @throws Error as the authority says it
 */
export const orderCertificate = async (
  account: AcmeAccount,
  host: string,
  kind: AcmeChallenge,
  orderUrl: string | null,
  proofs: Proofs,
  progress: OrderProgress,
): Promise<OrderOutcome> => {
  await lookAtDirectory(account)
  const { client, acme } = await openClient(account)
  await progress.onStep(0, `Introducing itself to ${new URL(account.directory).host}`)
  if (account.accountUrl === null) {
    await client.createAccount({ termsOfServiceAgreed: true, contact: [`mailto:${account.contact}`] })
    await progress.onAccount(client.getAccountUrl())
  }
  await progress.onStep(1, `Ordering a certificate for ${host}`)
  const order = await openOrder(client, host, orderUrl)
  await progress.onOrder(order.url)
  await progress.onStep(2, `Proving that ${host} is yours`)
  for (const authorization of await client.getAuthorizations(order)) {
    if (authorization.status === 'valid') continue
    const record = await prove(client, authorization, kind, proofs)
    if (record !== undefined) return { kind: 'record-missing', record, orderUrl: order.url }
  }
  await progress.onStep(3, 'Waiting for the certificate')
  const key = await acme.crypto.createPrivateEcdsaKey('P-256')
  const [, request] = await acme.crypto.createCsr({ altNames: [host] }, key)
  const finalized = await client.finalizeOrder(order, request)
  return { kind: 'issued', certificate: await client.getCertificate(finalized), key: key.toString() }
}
