import { Readable } from 'node:stream'

/** What became of reading a body up to a limit. */
export type ReadBody =
  | { kind: 'complete'; bytes: Buffer }
  /** Too much: what was read; the rest still stands in the body. */
  | { kind: 'larger'; start: Buffer }
  | { kind: 'truncated' }

/** Reads a body up to a limit, at the origin's pace; a visitor who would wait too long for its end gets it as it comes. */
export class Collection {
  readonly #chunks: Buffer[] = []
  #size = 0
  #viewer: Readable | undefined
  #state: 'reading' | ReadBody['kind'] = 'reading'
  readonly #body: Readable
  readonly collected: Promise<ReadBody>

  constructor(body: Readable, limit: number) {
    this.#body = body
    this.collected = new Promise((resolve) => {
      const onData = (chunk: Buffer): void => {
        this.#chunks.push(chunk)
        this.#size += chunk.length
        this.#viewer?.push(chunk)
        if (this.#size <= limit) return
        body.off('data', onData)
        body.pause()
        this.#state = 'larger'
        if (this.#viewer !== undefined) this.#feed(this.#viewer)
        resolve({ kind: 'larger', start: this.#read() })
      }
      const endWith = (collected: ReadBody): void => {
        if (this.#state === 'reading') {
          this.#state = collected.kind
          if (collected.kind === 'complete') this.#viewer?.push(null)
          else this.#viewer?.destroy(new Error('The body broke off.'))
        }
        resolve(collected)
      }
      body.on('data', onData)
      body.once('end', () => endWith({ kind: 'complete', bytes: this.#read() }))
      for (const event of ['error', 'aborted', 'close'] as const) body.once(event, () => endWith({ kind: 'truncated' }))
    })
  }

  /** The body as it comes, from its beginning; to be asked for once. It breaks off where the body does. */
  asItComes(): Readable {
    const viewer = new Readable({ read: () => this.#state === 'larger' && this.#body.resume() })
    this.#viewer = viewer
    for (const chunk of this.#chunks) viewer.push(chunk)
    if (this.#state === 'complete') viewer.push(null)
    else if (this.#state === 'truncated') viewer.destroy(new Error('The body broke off.'))
    else if (this.#state === 'larger') this.#feed(viewer)
    return viewer
  }

  /** What is kept nowhere is read as quickly as the visitor takes it. */
  #feed(viewer: Readable): void {
    this.#chunks.length = 0
    this.#body.on('data', (chunk: Buffer) => {
      if (!viewer.push(chunk)) this.#body.pause()
    })
    this.#body.once('end', () => viewer.push(null))
    for (const event of ['error', 'aborted', 'close'] as const)
      this.#body.once(event, () => {
        if (!this.#body.readableEnded) viewer.destroy(new Error('The body broke off.'))
      })
    viewer.once('close', () => this.#body.destroy())
  }

  #read(): Buffer {
    return Buffer.concat(this.#chunks)
  }
}

/** Read a body up to a limit, bytes. */
export const readBody = (body: Readable, limit: number): Promise<ReadBody> => new Collection(body, limit).collected

/** What was read of a body, and then the rest of it. */
export async function* prepend(start: Buffer, rest: Readable): AsyncGenerator<Buffer> {
  yield start
  for await (const chunk of rest) yield chunk as Buffer
}
