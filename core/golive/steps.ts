import type { DnsAnswer, DnsTarget } from '../contracts/going-live.ts'
import type { GoingLiveStep, ZoneBefore } from '../contracts/going-live-steps.ts'

/** One step, as it was found. */
export const step = (
  id: GoingLiveStep['id'],
  state: GoingLiveStep['state'],
  sentence: string,
  evidence: string[] = [],
): GoingLiveStep => ({ id, state, sentence, evidence })

/** What is known of a site before its DNS is touched. */
export interface ReadyFacts {
  /** Changes of the trial that are neither kept nor backed out. */
  readonly undecided: readonly string[]
  /** Whether live pages are stored at all. */
  readonly pageCache: 'on' | 'off'
  /** Why live would need a privacy check; undefined: it needs none, or has passed one. */
  readonly privacyNeeded: string | undefined
  /** What was found of another accelerator; undefined: none. */
  readonly accelerator: string | undefined
  readonly originHost: string
  /** Names of the site whose records are going to lead to Zest Lamp. */
  readonly changingNames: readonly string[]
}

/** Whether everything is decided, and the origin can still be found once the DNS leads here. */
export const readyStep = (facts: ReadyFacts): GoingLiveStep => {
  const { undecided, pageCache, privacyNeeded, accelerator, originHost, changingNames } = facts
  const evidence: string[] = []
  if (changingNames.includes(originHost))
    evidence.push(
      `Your server (origin) is asked as ${originHost}, which will lead to Zest Lamp itself. Give its address under Site, or a name that stays.`,
    )
  if (privacyNeeded !== undefined) evidence.push(privacyNeeded)
  if (accelerator !== undefined) evidence.push(accelerator)
  if (evidence.length > 0) return step('ready', 'problem', 'Fix this before visitors come through Zest Lamp.', evidence)
  if (undecided.length > 0)
    return step(
      'ready',
      'open',
      'Keep the trial or back out: visitors get the live version, without the open changes.',
      [...undecided],
    )
  if (pageCache === 'off')
    return step('ready', 'open', 'Live stores no pages yet, so visitors would gain little. Try remedies first.')
  return step(
    'ready',
    'done',
    `The trial is decided, and your server (origin) stays reachable at ${originHost} when the DNS changes.`,
  )
}

/** A certificate lasts at least so long when visitors begin to come, days. */
const LEAST_DAYS = 7
const DAY_MS = 86_400_000

/** Whether the certificate is one that browsers take, for long enough. @param now epoch ms */
export const certificateStep = (
  host: string,
  certificate: { readonly names: readonly string[]; readonly validUntil: string } | null,
  renews: boolean,
  now: number,
): GoingLiveStep => {
  if (certificate === null)
    return step(
      'certificate',
      'open',
      `There is no certificate for ${host} that browsers trust. Get one, or bring your own.`,
    )
  const { names, validUntil } = certificate
  const evidence = [`for ${names.join(', ')}`, `valid until ${validUntil.slice(0, 10)}`]
  const covers = names.some(
    (name) => name === host || (name.startsWith('*.') && host.split('.').slice(1).join('.') === name.slice(2)),
  )
  if (!covers) return step('certificate', 'problem', `The certificate is not for ${host}.`, evidence)
  const days = Math.floor((Date.parse(validUntil) - now) / DAY_MS)
  if (days < 0) return step('certificate', 'problem', 'The certificate has expired.', evidence)
  if (days < LEAST_DAYS && !renews)
    return step(
      'certificate',
      'problem',
      `The certificate expires in ${days} days and is not renewed automatically.`,
      evidence,
    )
  return step(
    'certificate',
    'done',
    renews
      ? 'The certificate is valid and renewed automatically.'
      : 'The certificate is valid. Renew it before it expires.',
    evidence,
  )
}

const SEES: Record<DnsAnswer['state'], string> = {
  new: 'shows the new address',
  old: 'shows the old address',
  both: 'shows both',
  none: 'shows no address',
  silent: 'gave no answer',
}

/** Who sees what: resolvers remember the old address as long as its time to live says. */
export const dnsStep = (target: DnsTarget | null, answers: readonly DnsAnswer[] | string): GoingLiveStep => {
  if (target === null) return step('dns', 'open', 'Say where Zest Lamp runs, and see which lines of your zone change.')
  if (typeof answers === 'string') return step('dns', 'problem', answers)
  const told = answers.filter(({ state }) => state !== 'silent')
  const evidence = answers.map(({ resolver, state, addresses }) =>
    [resolver, SEES[state], ...(addresses.length > 0 ? [`(${addresses.join(', ')})`] : [])].join(' '),
  )
  if (told.length === 0)
    return step('dns', 'problem', 'No name server gave an answer. Try again in a minute.', evidence)
  const fresh = told.filter(({ state }) => state === 'new').length
  if (fresh === told.length)
    return step('dns', 'done', 'Every name server that was asked shows the new address.', evidence)
  return fresh === 0 && told.every(({ state }) => state === 'old' || state === 'none')
    ? step(
        'dns',
        'open',
        'No name server shows the new address yet. Change the lines below at your DNS provider.',
        evidence,
      )
    : step(
        'dns',
        'open',
        `${fresh} of ${told.length} name servers show the new address. Old answers for up to a day are normal.`,
        evidence,
      )
}

/** What one address answered, asked as a visitor of the site would. */
export interface Proof {
  readonly name: string
  readonly address: string
  /** Why it could not be asked; undefined: it answered. */
  readonly failure: string | undefined
  readonly protocol: string
  readonly isStored: boolean
  /** Whether a page that was purged was fetched again, and then came from the store again. */
  readonly changesShow: boolean
  /** Where the resolver of whoever looked leads visitors; left out: it was not asked. */
  readonly resolvesTo?: readonly string[]
}

const resolvedWords = (resolvesTo: readonly string[] | undefined): string =>
  resolvesTo === undefined
    ? ''
    : resolvesTo.length === 0
      ? '; its resolver does not know the host yet'
      : `; its resolver returns ${resolvesTo.join(', ')}`

/** Whether visitors really get what was published, from each address. */
export const proofStep = (proofs: readonly Proof[]): GoingLiveStep => {
  if (proofs.length === 0) return step('proof', 'open', 'There is no address to ask yet.')
  const evidence = proofs.map(({ name, address, failure, protocol, isStored, changesShow, resolvesTo }) =>
    failure !== undefined
      ? `${name} (${address}): ${failure}${resolvedWords(resolvesTo)}`
      : `${name} (${address}): certificate trusted, ${protocol === 'h2' ? 'HTTP/2' : 'HTTP/1.1'}, ${isStored ? 'home page from the store' : 'home page not from the store'}, ${changesShow ? 'a change shows at once' : 'a change did not show'}${resolvedWords(resolvesTo)}`,
  )
  const failed = proofs.filter(({ failure }) => failure !== undefined)
  if (failed.length === proofs.length)
    return step('proof', 'problem', 'No address serves the site to visitors.', evidence)
  if (failed.length > 0)
    return step('proof', 'problem', `${failed.length} of ${proofs.length} addresses do not serve the site.`, evidence)
  const slow = proofs.filter(({ isStored, changesShow }) => !isStored || !changesShow)
  return slow.length === 0
    ? step('proof', 'done', 'Signed-out visitors get stored pages over TLS, and a change shows at once.', evidence)
    : step('proof', 'open', 'Visitors are served, but not everything is as it should be.', evidence)
}

export const wayBackStep = (before: ZoneBefore | null): GoingLiveStep =>
  before === null
    ? step('way-back', 'open', 'The records as they are now are kept as soon as you look which lines change.')
    : step('way-back', 'done', `The records of ${before.zone} as they were on ${before.savedAt.slice(0, 10)} are kept.`)
