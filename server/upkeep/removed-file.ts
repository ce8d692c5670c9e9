import { constants, createReadStream } from 'node:fs'
import { open, type FileHandle } from 'node:fs/promises'
import { linesOf, newEndMark } from './sql-file.ts'

const HEAD_BYTES = 200
const PART_BYTES = 1024 * 1024

const readAt = async (file: FileHandle, from: number, length: number): Promise<Buffer> => {
  const { buffer, bytesRead } = await file.read(Buffer.alloc(length), 0, length, from)
  return buffer.subarray(0, bytesRead)
}

/** The mark that ends statements, by the first line; undefined: the file is new, or was begun and no more. */
const markOf = async (file: FileHandle): Promise<string | undefined> =>
  /^-- statements end with: (-- [\w-]{20,})\n/.exec((await readAt(file, 0, HEAD_BYTES)).toString('latin1'))?.[1]

/** Where the last whole statement ends, looked for from the end of the file, which may be large. */
const endOf = async (file: FileHandle, mark: string): Promise<number> => {
  const line = Buffer.from(`\n${mark}\n`)
  const { size } = await file.stat()
  for (let to = size; to > 0; to -= PART_BYTES) {
    const from = Math.max(0, to - PART_BYTES)
    // A mark may stand across the border of two parts.
    const found = (await readAt(file, from, to - from + line.length)).lastIndexOf(line)
    if (found >= 0) return from + found + line.length
  }
  return Buffer.byteLength(`-- statements end with: ${mark}\n`)
}

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
    const file = await open(path, constants.O_RDWR | constants.O_CREAT, 0o600)
    const known = await markOf(file)
    if (known !== undefined) {
      // What was being written when the process ended belongs to rows that are still there.
      const size = await endOf(file, known)
      await file.truncate(size)
      return new RemovedFile(file, known, size)
    }
    await file.truncate(0)
    const mark = newEndMark()
    const head = `-- statements end with: ${mark}\n`
    await file.write(head, 0)
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

  close(): Promise<void> {
    return this.#file.close()
  }
}

/** The lines of such a file. */
export const linesOfRemovedFile = (path: string): AsyncIterable<string> => linesOf(createReadStream(path))
