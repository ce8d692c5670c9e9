import { mkdir, readdir, rm, unlink } from 'node:fs/promises'
import { join } from 'node:path'
import type { Backing } from './backing.ts'
import { readEntryBody, readEntryHeader, writeEntry } from './entry-file.ts'
import { Journal, readJournal } from './journal.ts'
import type { Bodies, StoredEntry } from './response-store.ts'

const JOURNAL = 'journal'
/** A journal with this many lines for each entry it ends up with is written again at start. */
const TOO_MANY_LINES = 2
/** Files read at a time. */
const BATCH = 64

/** Entries in files of a folder, one each, and a journal that tells of all of them. */
export class DiskBacking implements Backing {
  readonly #folder: string
  readonly #journal: Journal

  /**
   * @param current every entry the store holds, for a journal that has grown long
   * @param count how many it holds
   */
  constructor(
    folder: string,
    onProblem: (error: Error) => void,
    current: () => Iterable<StoredEntry>,
    count: () => number,
  ) {
    this.#folder = folder
    this.#journal = new Journal(join(folder, JOURNAL), onProblem, current, count)
  }

  /** Half-written and damaged files are removed. */
  async open(): Promise<readonly StoredEntry[]> {
    await mkdir(this.#folder, { recursive: true })
    const names = new Set((await readdir(this.#folder)).filter((name) => name !== JOURNAL))
    const journal = await readJournal(join(this.#folder, JOURNAL))
    const told = [...(journal?.entries.values() ?? [])].filter(({ id }) => names.delete(`${id}.entry`))
    // Files the journal does not tell of were written right before a crash, or left half-written; without a journal, all are looked at.
    const entries = [...told, ...(await this.#scan([...names]))]
    if (journal === undefined || journal.lines > 1000 + TOO_MANY_LINES * journal.entries.size)
      await this.#journal.restart(entries)
    else await this.#journal.resume(journal.lines)
    return entries
  }

  async #scan(names: readonly string[]): Promise<StoredEntry[]> {
    const found: StoredEntry[] = []
    for (let i = 0; i < names.length; i += BATCH) {
      const read = await Promise.all(names.slice(i, i + BATCH).map((name) => this.#takeIn(name)))
      found.push(...read.filter((entry) => entry !== undefined))
    }
    return found
  }

  async #takeIn(name: string): Promise<StoredEntry | undefined> {
    const path = join(this.#folder, name)
    const entry = await readEntryHeader(path).catch(() => undefined)
    if (entry !== undefined && `${entry.id}.entry` === name) return entry
    await rm(path, { force: true, recursive: true })
    return undefined
  }

  #path(entry: StoredEntry): string {
    return join(this.#folder, `${entry.id}.entry`)
  }

  async write(entry: StoredEntry, bodies: Bodies): Promise<void> {
    await writeEntry(this.#path(entry), entry, bodies)
    this.#journal.put(entry)
  }

  async remove(entry: StoredEntry): Promise<void> {
    this.#journal.gone(entry.id)
    // Not rm, which looks at each file before: a purge removes many.
    await unlink(this.#path(entry)).catch((error: NodeJS.ErrnoException) => {
      if (error.code !== 'ENOENT') throw error
    })
  }

  async bodies(entry: StoredEntry): Promise<Bodies | undefined> {
    const codings = entry.bodies.map(({ coding }) => coding)
    const read = await Promise.all(codings.map((coding) => readEntryBody(this.#path(entry), entry, coding)))
    const whole = read.filter((bytes) => bytes !== undefined)
    if (whole.length < codings.length) return undefined
    return new Map(codings.map((coding, index) => [coding, whole[index]!]))
  }

  trouble(error: Error): string {
    const { code = error.message } = error as NodeJS.ErrnoException
    return code === 'ENOSPC'
      ? 'The disk of the store is full: nothing new is stored on it. Make room, or give the store another ZEST_DATA_DIR.'
      : `The store cannot use its disk (${code}): pages are kept in memory only. Look at the folder in ZEST_DATA_DIR.`
  }

  /** Nobody else uses the folder. */
  announce(): void {}

  settled(): Promise<void> {
    return this.#journal.settled()
  }

  close(): Promise<void> {
    return this.#journal.close()
  }
}
