import { createReadStream } from 'node:fs'
import { open, readFile, type FileHandle } from 'node:fs/promises'
import { createInterface } from 'node:readline'
import { newEndMark } from './sql-file.ts'

/** The file in which a clean-up writes down what it removes, while it does. Every row is on the disk before it is gone. */
export class RemovedFile {
  readonly #file: FileHandle
  readonly #mark: string
  #size: number

  private constructor(file: FileHandle, mark: string, size: number) {
    this.#file = file
    this.#mark = mark
    this.#size = size
  }

  /** Begin a file, or go on with one that an earlier process began. */
  static async open(path: string): Promise<RemovedFile> {
    const before = await readFile(path, 'utf8').catch((error: NodeJS.ErrnoException) => {
      if (error.code === 'ENOENT') return ''
      throw error
    })
    const [first = ''] = before.split('\n', 1)
    const known = /^-- statements end with: (-- [\w-]{20,})$/.exec(first)?.[1]
    const file = await open(path, known === undefined ? 'w' : 'r+', 0o600)
    if (known !== undefined) {
      // What was being written when the process ended belongs to rows that are still there.
      const end = before.lastIndexOf(`\n${known}\n`)
      const size = Buffer.byteLength(end < 0 ? `${first}\n` : before.slice(0, end + known.length + 2))
      await file.truncate(size)
      return new RemovedFile(file, known, size)
    }
    const mark = newEndMark()
    const head = `-- statements end with: ${mark}\n`
    await file.writeFile(head)
    return new RemovedFile(file, mark, Buffer.byteLength(head))
  }

  /** Write statements down. Resolves when they are on the disk; when that fails, nothing of them is in the file. */
  async append(statements: readonly string[]): Promise<void> {
    if (statements.length === 0) return
    const text = Buffer.from(statements.map((statement) => `${statement}\n${this.#mark}\n`).join(''))
    try {
      await this.#file.write(text, 0, text.length, this.#size)
      await this.#file.sync()
      this.#size += text.length
    } catch (error) {
      await this.#file.truncate(this.#size).catch(() => undefined)
      throw error
    }
  }

  get bytes(): number {
    return this.#size
  }

  close(): Promise<void> {
    return this.#file.close()
  }
}

/** The lines of such a file. */
export const linesOfRemovedFile = (path: string): AsyncIterable<string> =>
  createInterface({ input: createReadStream(path), crlfDelay: Number.POSITIVE_INFINITY })
