/** Common practice: ten wrong tries, then a pause. */
const TRIES = 10
/** Of one address at any names. */
const TRIES_OF_ADDRESS = 30
/** At one name from all addresses that have not signed in with it before: far beyond what its owner mistypes. */
const TRIES_AT_NAME = 100
const PAUSE_MS = 5 * 60_000
/** Counts remembered; the oldest are forgotten first, so that made-up names cannot fill the memory. */
const MOST_COUNTS = 30_000
const MOST_KNOWN = 10_000

interface Counted {
  count: number
  readonly since: number
}

/** Half of an IPv6 address belongs to one customer (RFC 6177); whoever has it has all of it. */
const networkOf = (address: string): string =>
  address.includes(':') && !address.includes('.') ? address.split(':').slice(0, 4).join(':') : address

/**
 * Slows down guessing of passwords. A try counts before any work is done for it, so that tries at the same time count too. A stranger's tries never
 * lock out whoever has signed in with the name from the same address before.
 */
export class SignInLimit {
  readonly #counts = new Map<string, Counted>()
  /** Name and address that have signed in. */
  readonly #known = new Set<string>()

  #keys(name: string, address: string): [key: string, most: number][] {
    const [who, from] = [name.toLowerCase(), networkOf(address)]
    const pair = JSON.stringify([who, from])
    return [
      [`pair ${pair}`, TRIES],
      [`address ${from}`, TRIES_OF_ADDRESS],
      ...(this.#known.has(pair) ? [] : [[`name ${who}`, TRIES_AT_NAME] as [string, number]]),
    ]
  }

  /** Count a try. @returns minutes to wait, or 0 when it is allowed */
  begin(name: string, address: string, now: number): number {
    const keys = this.#keys(name, address)
    const waits = keys.map(([key, most]) => this.#wait(key, most, now))
    const longest = Math.max(...waits)
    if (longest > 0) return Math.ceil(longest / 60_000)
    for (const [key] of keys) this.#add(key, now)
    return 0
  }

  #current(key: string, now: number): Counted | undefined {
    const found = this.#counts.get(key)
    return found !== undefined && now - found.since <= PAUSE_MS ? found : undefined
  }

  #wait(key: string, most: number, now: number): number {
    const found = this.#current(key, now)
    return found === undefined || found.count < most ? 0 : Math.max(1, PAUSE_MS - (now - found.since))
  }

  #add(key: string, now: number): void {
    const found = this.#current(key, now) ?? { count: 0, since: now }
    this.#counts.delete(key)
    this.#counts.set(key, { count: found.count + 1, since: found.since })
    if (this.#counts.size > MOST_COUNTS) this.#counts.delete(this.#counts.keys().next().value!)
  }

  succeeded(name: string, address: string): void {
    for (const [key] of this.#keys(name, address)) this.#counts.delete(key)
    this.#known.add(JSON.stringify([name.toLowerCase(), networkOf(address)]))
    if (this.#known.size > MOST_KNOWN) this.#known.delete(this.#known.keys().next().value!)
  }
}
