import {
  chosenRules,
  onlyUnits,
  rulesText,
  unitsOf,
  type RuleSection,
  type RuleUnit,
} from '../../core/server-rules/server-rules.ts'
import {
  serverOf,
  type Culprit,
  type RehearsalOrder,
  type RehearsalResult,
  type RehearsedAddress,
} from '../../core/contracts/server-rules.ts'
import type { Setup } from '../../core/contracts/setup.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { ORIGIN_KEY_FIELD } from '../../core/http/origin-key.ts'
import { ddmin } from '../../core/experiments/ddmin.ts'
import { readComplaint } from '../../core/server-rules/syntax-check.ts'
import { findBlock, withBlock, withoutBlock } from '../../core/server-rules/marked-block.ts'
import { compareRehearsed, unlikeReal, type HeardAnswer } from '../../core/server-rules/rehearsed-answers.ts'
import { siteFactsOf } from '../../core/server-rules/rule.ts'
import { usableRules, withoutLine } from '../../core/server-rules/usable-rules.ts'
import { epochMs } from '../../core/time.ts'
import { askedSiteOf, keyField } from '../net/asked-site.ts'
import { copySite, type CopiedAddress } from './copy-site.ts'
import { pageCopies } from './page-copies.ts'
import { NoWebServer, RehearsalServer } from './rehearsal-server.ts'
import { fetchWebServer, mayFetch, NotFetched } from './fetch-web-server.ts'
import { serverProgram, type ServerProgram } from './server-programs.ts'
import { RULES } from './web-server-configs.ts'

/** Told of each step. */
type Told = (done: number, total: number, now: string) => Promise<void>

const MOST_UNKNOWN = 60
const MOST_CULPRITS = 5
/** Server errors that a rules file causes (RFC 9110 §15.6.1). */
const SERVER_ERROR = 500

const SERVERS = {
  apache: { name: 'Apache', install: 'sudo apt-get install apache2-bin' },
  nginx: { name: 'nginx', install: 'sudo apt-get install nginx-light' },
} as const

const NO_ANSWER = { status: 0, fields: {} }

const ended = (
  outcome: RehearsalResult['outcome'],
  sentence: string,
  more: Partial<RehearsalResult> = {},
): RehearsalResult => ({
  ...{ outcome, sentence, version: null, notUsed: [], unlike: [], addresses: [], culprits: [] },
  ...more,
})

interface Present {
  readonly rules: string
  readonly notUsed: RehearsalResult['notUsed']
}

/** The present file, without what only the owner's server knows. @returns the sentence when it is broken as it is */
const presentFile = async (
  server: RehearsalServer,
  { choice, present }: RehearsalOrder,
): Promise<Present | RehearsalResult> => {
  // Ours asks for files by names that anybody could write otherwise; what it does is seen with the new rules.
  const usable = usableRules(choice.kind, choice.kind === 'nginx-site' ? withoutBlock(present) : present)
  if (usable.kind === 'refused') return ended('not-possible', usable.sentence)
  let { rules } = usable
  const notUsed = [...usable.notUsed]
  for (;;) {
    const said = await server.complaint(rules)
    if (said === undefined) return { rules, notUsed }
    const complaint = readComplaint(choice.kind, said, RULES[choice.kind])
    if (complaint === undefined) return ended('present-broken', `The present file is refused: ${lastLine(said)}`)
    const { line, message, unknown } = complaint
    if (unknown === null || notUsed.length >= MOST_UNKNOWN)
      return ended('present-broken', `The present file is refused as it is, in line ${line}: ${message}`)
    const text = (rules.split('\n')[line - 1] ?? '').trim().slice(0, 200)
    notUsed.push({ line, text, why: `${unknown} belongs to a module that is not part of the rehearsal.` })
    rules = withoutLine(rules, line)
  }
}

const lastLine = (said: string): string => (said.trim().split('\n').at(-1) ?? '').slice(0, 300)

/** Fields that say by which name and scheme a visitor came. */
const visitorFields = (site: Site, { choice }: RehearsalOrder): Record<string, string> => {
  const { host, protocol } = new URL(askedSiteOf(site).named)
  const sentTo = choice.wanted.includes('https') ? choice.host : null
  return {
    host: sentTo ?? host,
    'x-forwarded-proto': sentTo === null ? protocol.slice(0, -1) : 'https',
    'accept-encoding': 'gzip, br',
    ...keyField(site.originKey),
  }
}

const askAll = async (
  server: RehearsalServer,
  copied: readonly CopiedAddress[],
  fields: Record<string, string>,
  signal: AbortSignal,
): Promise<Map<string, HeardAnswer>> => {
  const heard = new Map<string, HeardAnswer>()
  for (const { path } of copied) {
    signal.throwIfAborted()
    heard.set(path, await server.ask(path, fields))
  }
  return heard
}

const loopsBetweenSchemes = (home: RehearsedAddress | undefined): boolean => {
  if (home === undefined || home.after.status < 300 || home.after.status > 399) return false
  return /^http:/i.test(home.after.fields['location'] ?? '')
}

/** Where a text stands in a file; null: several lines, or none. */
const lineOf = (file: string, { texts }: RuleUnit): number | null => {
  const [text] = texts
  if (texts.length !== 1 || text === undefined) return null
  const found = findBlock(file)
  const from = found.kind === 'ours' ? found.lines[0] : 1
  const index = file.split(/\r?\n/).findIndex((line, at) => at >= from && line.trim() === text)
  return index === -1 ? null : index + 1
}

/** One rehearsal: a server over a copy, asked under the present file and with rules. */
class Rehearsing {
  readonly #server: RehearsalServer
  readonly #copied: readonly CopiedAddress[]
  readonly #present: string
  readonly #fields: Record<string, string>
  readonly #before: ReadonlyMap<string, HeardAnswer>
  readonly #signal: AbortSignal

  constructor(
    server: RehearsalServer,
    copied: readonly CopiedAddress[],
    present: string,
    fields: Record<string, string>,
    before: ReadonlyMap<string, HeardAnswer>,
    signal: AbortSignal,
  ) {
    this.#server = server
    this.#copied = copied
    this.#present = present
    this.#fields = fields
    this.#before = before
    this.#signal = signal
  }

  fileWith(sections: readonly RuleSection[]): string {
    return sections.length === 0 ? this.#present : withBlock(this.#present, rulesText(sections))
  }

  /** What the rules change for some addresses. */
  async under(sections: readonly RuleSection[], paths?: ReadonlySet<string>): Promise<RehearsedAddress[]> {
    await this.#server.use(this.fileWith(sections))
    const some = this.#copied.filter(({ path }) => paths?.has(path) ?? true)
    const after = await askAll(this.#server, some, this.#fields, this.#signal)
    return some.flatMap(({ path, use }) => {
      const [one, other] = [this.#before.get(path), after.get(path)]
      return one === undefined || other === undefined ? [] : [compareRehearsed(path, use, one, other)]
    })
  }

  /** Whether a page is given to those who do not bring the secret of Zest Lamp. @param answered with the secret */
  async answersAnybody(answered: readonly RehearsedAddress[]): Promise<boolean> {
    const { [ORIGIN_KEY_FIELD]: _secret, ...fields } = this.#fields
    const page = answered.find(({ after }) => after.status < 400)
    return page !== undefined && (await this.#server.ask(page.path, fields)).status < 400
  }

  /** Find which lines break something, by leaving out one after the other. */
  async culprits(
    sections: readonly RuleSection[],
    broken: readonly RehearsedAddress[],
    choice: RehearsalOrder['choice'],
  ): Promise<Culprit[]> {
    const paths = new Set(broken.map(({ path }) => path))
    const whole = this.fileWith(sections)
    const found: Culprit[] = []
    let units = unitsOf(sections, choice.kind)
    let sentences = broken.flatMap((one) => one.broken)
    while (sentences.length > 0 && found.length < MOST_CULPRITS) {
      const left = units
      const guilty = await ddmin(
        left,
        async (some) => (await this.#brokenBy(onlyUnits(sections, some), paths)).length > 0,
      )
      if (guilty.length === 0) break
      const [sentence = sentences[0] ?? ''] = await this.#brokenBy(onlyUnits(sections, guilty), paths)
      for (const unit of guilty)
        found.push({ rule: unit.rule, line: lineOf(whole, unit), text: unit.texts[0] ?? '', sentence })
      units = left.filter((unit) => !guilty.includes(unit))
      sentences = await this.#brokenBy(onlyUnits(sections, units), paths)
    }
    return found
  }

  /** Rules that the server does not take, since others are left out that they stand on, break nothing. */
  async #brokenBy(sections: readonly RuleSection[], paths: ReadonlySet<string>): Promise<string[]> {
    const addresses = await this.under(sections, paths).catch((error: unknown) => {
      if (error instanceof NoWebServer) return []
      throw error
    })
    return addresses.flatMap(({ broken }) => broken)
  }
}

const inWords = (addresses: readonly RehearsedAddress[]): string => {
  const changed = addresses.filter((one) => one.changed.length > 0).length
  const bytes = (of: 'before' | 'after'): number => addresses.reduce((sum, one) => sum + one[of].bytes, 0)
  const share = bytes('before') === 0 ? 0 : Math.round(100 * (1 - bytes('after') / bytes('before')))
  const saved = share > 0 ? ` They are ${share}% smaller on the way.` : ''
  return `Nothing breaks: ${addresses.length} addresses have the same content and status as before, and ${changed} of them are sent with other fields.${saved}`
}

/** Rehearse with a server that runs. */
const rehearseOn = async (
  server: RehearsalServer,
  copied: readonly CopiedAddress[],
  site: Site,
  order: RehearsalOrder,
  live: Setup,
  told: (now: string) => Promise<void>,
  signal: AbortSignal,
): Promise<RehearsalResult> => {
  const version = await server.version()
  const present = await presentFile(server, order)
  if ('outcome' in present) return { ...present, version }
  const { notUsed } = present
  await told('Asking under the present file')
  await server.use(present.rules)
  const fields = visitorFields(site, order)
  const before = await askAll(server, copied, fields, signal)
  const log = await server.errorLog()
  const failed = [...before].find(([, { status }]) => status === SERVER_ERROR)
  const complaint = log.split('\n').findLast((line) => line.includes('.htaccess:'))
  if (failed !== undefined && complaint !== undefined)
    return ended(
      'present-broken',
      `The present file makes the server fail: ${complaint.replace(/^.*\.htaccess: /, '')}`,
      { version, notUsed },
    )
  const unlike = copied.flatMap(({ path, real }) => unlikeReal(path, real, before.get(path) ?? NO_ANSWER)).slice(0, 5)
  // Visitors who are sent on are another kind than the copy was made as.
  const home = order.choice.wanted.includes('https') ? undefined : copied.find(({ path }) => path === '/')
  if (home !== undefined && before.get('/')?.status !== home.real.status)
    return ended('not-possible', unlike[0] ?? '', { version, notUsed, unlike: unlike.slice(1) })
  await told('Asking with the new rules')
  const sections = chosenRules(order.choice, live, siteFactsOf(site))
  const rehearsing = new Rehearsing(server, copied, present.rules, fields, before, signal)
  const refused = await server.complaint(rehearsing.fileWith(sections))
  if (refused !== undefined)
    return ended('breaks', `The server refuses these rules: ${lastLine(refused)}`, { version, notUsed, unlike })
  const addresses = await rehearsing.under(sections)
  if (sections.some(({ id }) => id === 'backDoor') && (await rehearsing.answersAnybody(addresses)))
    return ended(
      'breaks',
      'Requests without the secret of Zest Lamp are answered all the same: another rule in the present file lets them in.',
      { version, notUsed, unlike, addresses },
    )
  if (order.choice.wanted.includes('https') && loopsBetweenSchemes(addresses.find(({ path }) => path === '/')))
    return ended(
      'breaks',
      'The present file sends visitors from https to http, and these rules send them back: they would never arrive. Remove the older rule first.',
      { version, notUsed, unlike, addresses },
    )
  const broken = addresses.filter((one) => one.broken.length > 0)
  if (broken.length === 0) return ended('good', inWords(addresses), { version, notUsed, unlike, addresses })
  await told('Looking for the line that breaks it')
  const culprits = await rehearsing.culprits(sections, broken, order.choice)
  return ended(
    'breaks',
    `${broken[0]?.broken[0] ?? ''} ${broken.length > 1 ? `${broken.length} addresses are concerned.` : ''}`.trim(),
    { version, notUsed, unlike, addresses, culprits },
  )
}

/** The web server to rehearse on; a result where there is none. */
const programFor = async (
  { choice, fetching }: RehearsalOrder,
  serversFolder: string,
  told: () => Promise<void>,
  signal: AbortSignal,
): Promise<ServerProgram | RehearsalResult> => {
  const kind = serverOf(choice.kind)
  const found = serverProgram(kind, serversFolder)
  if (found !== undefined) return found
  const { name, install } = SERVERS[kind]
  const missing = `${name} is not on this machine.`
  if (!mayFetch()) return ended('not-possible', `${missing} Install it, and rehearse again.`)
  if (fetching === 'not-allowed')
    return ended(
      'no-server',
      `${missing} Zest Lamp can fetch it from the packages of this system, for rehearsals only, or you install it yourself ("${install}").`,
    )
  await told()
  return fetchWebServer(kind, serversFolder, signal).catch((error: unknown) => {
    if (error instanceof NotFetched) return ended('not-possible', error.message)
    throw error
  })
}

/**
 * Try rules on a real web server over a copy of the site.
 * @param serversFolder where web servers are unpacked that are not installed @throws JobFailure when the site cannot be copied
 */
export const rehearse = async (
  site: Site,
  order: RehearsalOrder,
  live: Setup,
  serversFolder: string,
  told: Told,
  signal: AbortSignal,
): Promise<RehearsalResult> => {
  const unclear = findBlock(order.present)
  if (unclear.kind === 'unclear') return ended('not-possible', unclear.why)
  const program = await programFor(order, serversFolder, () => told(0, 1, 'Fetching the web server'), signal)
  if ('outcome' in program) return program
  const copied = await copySite(site, (done, total, path) => told(done, total + 2, `Copying ${path}`), signal)
  signal.throwIfAborted()
  let server: RehearsalServer | undefined
  try {
    const pages = order.choice.wanted.includes('storedPages') ? pageCopies(copied, live, epochMs(Date.now())) : []
    server = await RehearsalServer.over(order.choice.kind, program, copied, serversFolder, pages)
    const steps = copied.length + 2
    return await rehearseOn(server, copied, site, order, live, (now) => told(copied.length, steps, now), signal)
  } catch (error) {
    if (error instanceof NoWebServer) return ended('not-possible', error.message)
    throw error
  } finally {
    await server?.end()
  }
}
