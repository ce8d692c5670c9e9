import { open, readFile, rename, type FileHandle } from 'node:fs/promises'
import { crc32 } from 'node:zlib'
import type { StoredEntry } from './response-store.ts'
import { inSlices } from './sweep.ts'
import { parseHeader, headerText } from './entry-file.ts'

/**
 * What the store holds, in one file that is read at start: opening a hundred thousand small files one by one would take half a minute. Each line is a
 * checksum and either an entry's description or the name of one that left; a line that was cut off by a crash does not fit its checksum and is
 * left out. The entry's own file stays the truth: what the journal tells wrongly is found out when the bytes are read.
 */
const FLUSH_AFTER_MS = 50
const LINES_AT_A_TIME = 100
const GONE = 'gone '

const line = (text: string): string => `${crc32(text).toString(16).padStart(8, '0')} ${text}\n`

const unwrap = (text: string): string | undefined => {
  const content = text.slice(9)
  return text.length > 9 && crc32(content).toString(16).padStart(8, '0') === text.slice(0, 8) ? content : undefined
}

/** Entries that a journal tells of, by name, read a little at a time: visitors are answered meanwhile. Undefined when there is no journal. */
export const readJournal = async (
  path: string,
): Promise<{ entries: Map<string, StoredEntry>; lines: number } | undefined> => {
  const whole = await readFile(path, 'utf8').catch(() => undefined)
  if (whole === undefined) return undefined
  const latest = new Map<string, string>()
  let lines = 0
  await inSlices(linesOf(whole), (text) => {
    lines++
    const content = text === undefined ? undefined : unwrap(text)
    if (content === undefined) return
    if (content.startsWith(GONE)) latest.delete(content.slice(GONE.length))
    else {
      const space = content.indexOf(' ')
      latest.set(content.slice(0, space), content.slice(space + 1))
    }
  })
  const entries = new Map<string, StoredEntry>()
  await inSlices(latest, ([id, text]) => {
    const entry = parseHeader(text)
    if (entry !== undefined) entries.set(id, entry)
  })
  return { entries, lines }
}

/** Undefined for a last line that has no end. */
function* linesOf(whole: string): Iterable<string | undefined> {
  for (let from = 0; from < whole.length;) {
    const end = whole.indexOf('\n', from)
    yield end === -1 ? undefined : whole.slice(from, end)
    from = end === -1 ? whole.length : end + 1
  }
}

/** Lines beyond those of the entries there are, after which the journal is written again. */
const SLACK = 10_000

/**
 * The journal of a store that is open; lines are written in batches, in the order they came. It is written again when most of its lines are about
 * what has been replaced or has gone, so that it grows with the store and not with its age.
 */
export class Journal {
  readonly #path: string
  readonly #onProblem: (error: Error) => void
  readonly #current: () => Iterable<StoredEntry>
  readonly #count: () => number
  readonly #slack: number
  #file: FileHandle | undefined
  #lines = 0
  #restarting = false
  #waiting: string[] = []
  #timer: NodeJS.Timeout | undefined
  #writing: Promise<void> = Promise.resolve()

  /**
   * @param current every entry there is, asked for when the journal is written again
   * @param count how many there are
   */
  constructor(
    path: string,
    onProblem: (error: Error) => void,
    current: () => Iterable<StoredEntry>,
    count: () => number,
    slack = SLACK,
  ) {
    this.#path = path
    this.#onProblem = onProblem
    this.#current = current
    this.#count = count
    this.#slack = slack
  }

  /** Begin a new journal that holds these entries and nothing else, in the place of the old one. */
  async restart(entries: Iterable<StoredEntry>): Promise<void> {
    const beside = `${this.#path}.part`
    const file = await open(beside, 'w')
    // A little at a time. What comes and goes meanwhile is told after, and then counts.
    let lines = 0
    let batch: string[] = []
    for (const entry of entries) {
      batch.push(line(`${entry.id} ${headerText(entry)}`))
      lines++
      if (batch.length < LINES_AT_A_TIME) continue
      await file.write(batch.join(''))
      batch = []
    }
    await file.write(batch.join(''))
    await file.datasync()
    await rename(beside, this.#path)
    await this.#file?.close()
    this.#file = file
    this.#lines = lines
  }

  /** Go on with the journal that is there. @param lines how many it has */
  async resume(lines: number): Promise<void> {
    this.#file = await open(this.#path, 'a')
    this.#lines = lines
  }

  put(entry: StoredEntry): void {
    this.#add(line(`${entry.id} ${headerText(entry)}`))
  }

  gone(id: string): void {
    this.#add(line(GONE + id))
  }

  #add(text: string): void {
    this.#waiting.push(text)
    this.#timer ??= setTimeout(() => this.#flush(), FLUSH_AFTER_MS)
  }

  #flush(): void {
    clearTimeout(this.#timer)
    this.#timer = undefined
    const lines = this.#waiting
    this.#waiting = []
    if (lines.length === 0) return
    this.#lines += lines.length
    this.#then(async () => void (await this.#file?.write(lines.join(''))))
    this.#restartWhenLong()
  }

  /** Writes happen one after the other; one that fails does not keep back the next. */
  #then(work: () => Promise<void>): void {
    this.#writing = this.#writing.then(work).catch((error: Error) => this.#onProblem(error))
  }

  #restartWhenLong(): void {
    if (this.#restarting || this.#lines <= this.#slack) return
    if (this.#lines <= this.#slack + 2 * this.#count()) return
    this.#restarting = true
    this.#then(() => this.restart(this.#current()).finally(() => (this.#restarting = false)))
  }

  /** Write what waits and let go of the file. */
  async close(): Promise<void> {
    await this.settled()
    await this.#file?.close()
    this.#file = undefined
  }

  /** Resolves when every line so far is written. */
  async settled(): Promise<void> {
    this.#flush()
    await this.#writing
  }
}
