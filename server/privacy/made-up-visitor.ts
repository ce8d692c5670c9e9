import { parse } from 'parse5'
import type { SignIn } from '../../core/contracts/privacy.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { attributeOf, htmlElements, type HtmlElement } from '../../core/formats/html-tree.ts'
import { CookieJar } from '../../core/http/cookie-jar.ts'
import { TRIAL_KEY } from '../../core/http/trial-key.ts'
import { JobFailure } from '../jobs/job-queue.ts'
import { settledHtml } from '../../core/page/document/settled-html.ts'
import { rewriteHosts } from '../../core/http/host-rewrite.ts'
import { askedSiteOf, keyField, namingFields } from '../net/asked-site.ts'
import { askOutside, type OutsideAnswer } from '../net/outside-request.ts'

const TIMEOUT_MS = 60_000

const attribute = (element: HtmlElement, name: string): string => attributeOf(element, name) ?? ''

/** The form with a password in it: where it is sent, and the hidden fields that go along. */
const signInForm = (html: string): { action: string; hidden: Record<string, string> } | undefined => {
  for (const { node: form } of htmlElements(parse(html))) {
    if (form.tagName !== 'form') continue
    const inputs = [...htmlElements(form)].map(({ node }) => node).filter(({ tagName }) => tagName === 'input')
    if (!inputs.some((input) => attribute(input, 'type').toLowerCase() === 'password')) continue
    const hidden = inputs.filter((input) => attribute(input, 'type').toLowerCase() === 'hidden')
    return {
      action: attribute(form, 'action'),
      hidden: Object.fromEntries(hidden.map((input) => [attribute(input, 'name'), attribute(input, 'value')])),
    }
  }
  return undefined
}

/** An answer with its addresses as the trial gives them, so that both can be compared. */
const asAtTrial = (answer: OutsideAnswer, publicAddress: string, trialUrl: string): OutsideAnswer => {
  const addresses = { others: [new URL(publicAddress).hostname], own: trialUrl }
  const location = answer.fields.get('location')
  return {
    ...answer,
    fields:
      location === undefined
        ? answer.fields
        : new Map([...answer.fields, ['location', rewriteHosts(location, addresses)]]),
    body: Buffer.from(rewriteHosts(answer.body.toString('latin1'), addresses), 'latin1'),
  }
}

/** A visitor with cookies of their own, who asks the origin as delivery would, or the trial as a browser would. */
export class MadeUpVisitor {
  readonly #site: Site
  readonly #deliveryPort: number
  readonly #jar: CookieJar
  /** What the trial has given them; who is signed in has brought it from the origin. */
  #atTrial: CookieJar = new CookieJar()
  /** Texts that are this visitor's alone. */
  readonly #known: string[] = []

  constructor(site: Site, deliveryPort: number, cookie = '') {
    this.#site = site
    this.#deliveryPort = deliveryPort
    this.#jar = new CookieJar(cookie)
  }

  get secrets(): string[] {
    const pairs = [...this.#jar.pairs, ...this.#atTrial.pairs]
    return [...this.#known, ...new Set(pairs.map(([, value]) => value))]
  }

  /** The Cookie field with which this visitor comes. */
  get cookie(): string {
    return this.#jar.field
  }

  #fields(host: string, jar: CookieJar): Record<string, string> {
    const cookie = jar.field
    return { host, accept: 'text/html,*/*', ...(cookie === '' ? {} : { cookie }) }
  }

  /** Ask the origin, with the host that the trial would ask it with, so that addresses in both answers are alike. */
  async askOrigin(path: string, form?: Record<string, string>): Promise<OutsideAnswer> {
    const { address, hostHeader, publicAddress, originKey, trialUrl } = this.#site
    const visitorHost = new URL(trialUrl).host
    const naming =
      publicAddress === null
        ? {
            host: hostHeader === 'visitor' ? visitorHost : new URL(address).host,
            'x-forwarded-host': visitorHost,
            'x-forwarded-proto': 'http',
            ...keyField(originKey),
          }
        : namingFields(askedSiteOf(this.#site))
    const answer = await askOutside(address + path, {
      reach: this.#site.hosts.privateAddresses,
      timeoutMs: TIMEOUT_MS,
      fields: {
        ...this.#fields(naming.host!, this.#jar),
        ...naming,
      },
      ...(form === undefined ? {} : { form }),
    })
    this.#jar.take(answer.setCookies)
    return publicAddress === null ? answer : asAtTrial(answer, publicAddress, trialUrl)
  }

  /** Ask the trial. */
  async askTrial(path: string): Promise<OutsideAnswer> {
    const answer = await askOutside(`http://127.0.0.1:${this.#deliveryPort}${path}`, {
      reach: 'allowed',
      timeoutMs: TIMEOUT_MS,
      fields: {
        ...this.#fields(new URL(this.#site.trialUrl).host, this.#atTrial),
        [TRIAL_KEY]: this.#site.trialKey,
      },
    })
    this.#atTrial.take(answer.setCookies)
    return answer
  }

  /**
   * Leave out cookies that the origin does not need to know this visitor by: one that the setup knows nothing of makes every request pass, and hides what
   * would happen to a visitor whose browser has lost it.
   */
  async forgetUnneeded(isKnown: (name: string) => boolean): Promise<void> {
    const needed = this.#jar.pairs.filter(([name]) => isKnown(name))
    if (needed.length === this.#jar.pairs.length) return
    const without = new MadeUpVisitor(this.#site, this.#deliveryPort, needed.map((pair) => pair.join('=')).join('; '))
    const [mine, theirs] = [await this.askOrigin('/'), await without.askOrigin('/')]
    const text = ({ body }: OutsideAnswer): string => settledHtml(body.toString('utf8'))
    if (text(mine) === text(theirs)) for (const [name] of this.#jar.pairs) if (!isKnown(name)) this.#jar.forget(name)
  }

  /** @throws JobFailure when no session comes of it */
  async signIn(signInPath: string, how: SignIn, who: string): Promise<void> {
    // The session is the same one on both sides.
    this.#atTrial = this.#jar
    if (how.kind === 'cookie') {
      this.#jar.take(new CookieJar(how.cookie).pairs.map(([name, value]) => `${name}=${value}`))
      return
    }
    const page = await this.askOrigin(signInPath)
    const form = signInForm(page.body.toString('utf8'))
    if (form === undefined)
      throw new JobFailure(
        `The ${who} visitor cannot sign in: the page ${signInPath} has no form with a password field. Name the page with the form, or paste the cookies of a signed-in browser.`,
      )
    const before = this.#jar.field
    const target = new URL(form.action || signInPath, new URL(signInPath, this.#site.address))
    await this.askOrigin(target.pathname + target.search, { ...form.hidden, ...how.fields })
    if (this.#jar.field === before)
      throw new JobFailure(
        `The ${who} visitor could not sign in: the site set no cookie. Check the field names, the name and the password.`,
      )
    this.#known.push(...Object.values(how.fields))
  }
}
