import { createHash } from 'node:crypto'
import { LRUCache } from 'lru-cache'
import type { FileFacts } from '../../core/page/context/file-facts.ts'
import type { PageOrder, RewrittenPage } from '../../core/page/rewrite.ts'
import type { Contents } from './page-tasks.ts'

/** Bytes of pages that are remembered. */
const MOST_BYTES = 32 * 1024 * 1024
const MOST_READ_BYTES = 16 * 1024 * 1024

/** All of SHA-256: pages of different visitors are told apart by it. */
const digest = (...parts: unknown[]): string => createHash('sha256').update(JSON.stringify(parts)).digest('base64url')

const bytesOf = ({ html, files, used }: RewrittenPage): number =>
  html.length + files.reduce((sum, { text }) => sum + text.length, 0) + 40 * used.length + 1

const contentsBytes = ({ files, blocks, icons }: Contents): number =>
  200 + files.reduce((sum, { address }) => sum + 100 + address.length, 0) + 8 * (blocks.length + icons.length)

/**
 * Pages that were rewritten lately, by all that went into them. A page that is not stored is the same for many visitors all the same, and need not
 * be rewritten for each of them.
 */
export class PageMemory {
  readonly #read = new LRUCache<string, Contents>({
    maxSize: MOST_READ_BYTES,
    sizeCalculation: contentsBytes,
  })
  readonly #rewritten = new LRUCache<string, RewrittenPage>({ maxSize: MOST_BYTES, sizeCalculation: bytesOf })
  /** Facts are made once for each content of a file, so which ones they are says what is in them. */
  readonly #numbers = new WeakMap<FileFacts, number>()
  #last = 0

  #number(facts: FileFacts): number {
    let number = this.#numbers.get(facts)
    if (number === undefined) this.#numbers.set(facts, (number = ++this.#last))
    return number
  }

  /** What a page names. */
  async contents(html: string, address: string, read: () => Promise<Contents>): Promise<Contents> {
    const id = digest(html, address)
    const known = this.#read.get(id)
    if (known !== undefined) return known
    const contents = await read()
    this.#read.set(id, contents)
    return contents
  }

  /** @param rules what remedies and knowledge the order stands on, in a few words */
  async rewritten(
    rules: string,
    { html, address, device, multiplexed, policy, inPage, facts, alsoUsed }: PageOrder,
    rewrite: () => Promise<RewrittenPage>,
  ): Promise<RewrittenPage> {
    const files = [...facts.values()].map((one) => this.#number(one)).join()
    const id = digest(rules, html, address, device, multiplexed, policy ?? null, inPage?.data ?? null, alsoUsed, files)
    const known = this.#rewritten.get(id)
    if (known !== undefined) return known
    const page = await rewrite()
    this.#rewritten.set(id, page)
    return page
  }
}
