import { LRUCache } from 'lru-cache'

interface Made<Value> {
  readonly making: Promise<Value>
}

/** What an entry counts besides the bytes of its value: its name, the promise, the lists it stands in. */
const BESIDES = 500

/**
 * Results of work by what they were made from, so that nothing is made twice; whoever asks while it is made waits for the same making. Bounded in
 * bytes: what was not asked for longest is forgotten, and made again.
 */
export class OnceEach<Value> {
  readonly #known: LRUCache<string, Made<Value>>
  readonly #bytesOf: (value: Value) => number

  /** @param bytesOf bytes that a result takes */
  constructor(mostBytes: number, bytesOf: (value: Value) => number) {
    this.#known = new LRUCache({ maxSize: mostBytes })
    this.#bytesOf = bytesOf
  }

  /** @param make a failure is not remembered: it may be over the next time */
  of(id: string, make: () => Promise<Value>): Promise<Value> {
    const known = this.#known.get(id)
    if (known !== undefined) return known.making
    const made = { making: make() }
    this.#known.set(id, made, { size: BESIDES + id.length })
    const isStill = (): boolean => this.#known.peek(id) === made
    made.making.then(
      (value) => {
        if (isStill()) this.#known.set(id, made, { size: BESIDES + id.length + this.#bytesOf(value) })
      },
      () => {
        if (isStill()) this.#known.delete(id)
      },
    )
    return made.making
  }

  /** Bytes that are held, as they are counted. */
  get bytes(): number {
    return this.#known.calculatedSize
  }
}
