/** Common practice: ten wrong tries, then a pause. */
const TRIES = 10
const PAUSE_MS = 5 * 60_000
/** Names remembered; the oldest are forgotten first, so that made-up names cannot fill the memory. */
const MOST_NAMES = 10_000

/** Slows down guessing of passwords, by name of the account. */
export class SignInLimit {
  readonly #failures = new Map<string, { count: number; since: number }>()

  /** Minutes to wait, or 0 when a try is allowed. */
  minutesToWait(name: string, now: number): number {
    const found = this.#failures.get(name.toLowerCase())
    if (found === undefined || now - found.since > PAUSE_MS || found.count < TRIES) return 0
    return Math.ceil((PAUSE_MS - (now - found.since)) / 60_000)
  }

  failed(name: string, now: number): void {
    const key = name.toLowerCase()
    const found = this.#failures.get(key)
    const count = found === undefined || now - found.since > PAUSE_MS ? 1 : found.count + 1
    this.#failures.delete(key)
    this.#failures.set(key, { count, since: now })
    if (this.#failures.size > MOST_NAMES) this.#failures.delete(this.#failures.keys().next().value!)
  }

  succeeded(name: string): void {
    this.#failures.delete(name.toLowerCase())
  }
}
