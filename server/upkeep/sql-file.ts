import { createReadStream, createWriteStream } from 'node:fs'
import { open } from 'node:fs/promises'
import { createHash, randomBytes } from 'node:crypto'
import { Readable, Transform } from 'node:stream'
import { StringDecoder } from 'node:string_decoder'
import { pipeline } from 'node:stream/promises'
import { createGunzip, createGzip } from 'node:zlib'
import { Decrypter, Encrypter } from 'age-encryption'

/**
 * Files of SQL that the database's own client reads: plain text, compressed with gzip (RFC 1952), encrypted with age (age-encryption.org/v1), so that
 * `age -d | gunzip | psql` opens them without Zest Lamp.
 */

const FIRST_LINE = /^-- statements end with: (-- [\w-]{20,})$/

/** Marks the ends of statements. Nobody who writes into the database can know it, so nothing in a value passes for an end. */
export const newEndMark = (): string => `-- ${randomBytes(18).toString('base64url')}`

/** A file of SQL as text, one statement after the other. */
export const sqlText = async function* (
  mark: string,
  statements: AsyncIterable<string> | Iterable<string>,
): AsyncIterable<string> {
  yield `-- statements end with: ${mark}\n`
  for await (const statement of statements) yield `${statement}\n${mark}\n`
}

/**
 * Lines of a text, without their ends. Only a line feed ends one: carriage returns and other separators belong to the values they stand in, and Node's
 * own reader of lines would lose them.
 */
export const linesOf = async function* (chunks: AsyncIterable<Buffer>): AsyncIterable<string> {
  const decoder = new StringDecoder('utf8')
  let rest = ''
  for await (const chunk of chunks) {
    const lines = (rest + decoder.write(chunk)).split('\n')
    rest = lines.pop() ?? ''
    yield* lines
  }
  rest += decoder.end()
  if (rest !== '') yield rest
}

/** Statements of a file of SQL, one after the other. What stands after the last end was cut off, and is none. @throws Error when it is no such file */
export const statementsOf = async function* (lines: AsyncIterable<string>): AsyncIterable<string> {
  let mark: string | undefined
  let statement: string[] = []
  for await (const line of lines) {
    if (mark === undefined) {
      mark = FIRST_LINE.exec(line)?.[1]
      if (mark === undefined) throw new Error('This is no file of SQL that Zest Lamp wrote.')
    } else if (line === mark) {
      yield statement.join('\n')
      statement = []
    } else statement.push(line)
  }
}

/** Counts and digests what passes. */
const measured = (): Transform & { bytes: number; digest: () => string } => {
  const hash = createHash('sha256')
  const passing = Object.assign(
    new Transform({
      transform(chunk: Buffer, _encoding, done) {
        passing.bytes += chunk.length
        hash.update(chunk)
        done(null, chunk)
      },
    }),
    { bytes: 0, digest: () => hash.digest('hex') },
  )
  return passing
}

const PIECE_BYTES = 65_536

/** Statements put together to pieces of some size: one at a time would cost more than it carries. */
const inPieces = async function* (text: AsyncIterable<string | Buffer>): AsyncIterable<Buffer> {
  let [parts, size]: [Buffer[], number] = [[], 0]
  for await (const part of text) {
    const bytes = Buffer.from(part)
    parts.push(bytes)
    size += bytes.length
    if (size < PIECE_BYTES) continue
    yield Buffer.concat(parts)
    ;[parts, size] = [[], 0]
  }
  if (size > 0) yield Buffer.concat(parts)
}

/** What has been written: size as SQL, size of the file, and its SHA-256. */
export interface WrittenFile {
  readonly plainBytes: number
  readonly bytes: number
  readonly sha256: string
}

/** Compress and encrypt SQL into a file for its own user only. Nothing is left when it breaks off. @throws what the source throws */
export const writeSealedFile = async (
  path: string,
  text: AsyncIterable<string | Buffer>,
  recipient: string,
  signal?: AbortSignal,
): Promise<WrittenFile> => {
  const [plain, sealed] = [measured(), measured()]
  const encrypter = new Encrypter()
  encrypter.addRecipient(recipient)
  const zipped = createGzip({ level: 6 })
  const chain = pipeline(Readable.from(inPieces(text)), plain, zipped, { signal })
  // Whoever reads the end of the chain hears of it as well.
  chain.catch((error: unknown) => zipped.destroy(error as Error))
  const encrypted = await encrypter.encrypt(Readable.toWeb(zipped) as ReadableStream<Uint8Array>)
  await Promise.all([
    chain,
    pipeline(Readable.fromWeb(encrypted as never), sealed, createWriteStream(path, { mode: 0o600 }), { signal }),
  ])
  const file = await open(path, 'r')
  await file.sync().finally(() => file.close())
  return { plainBytes: plain.bytes, bytes: sealed.bytes, sha256: sealed.digest() }
}

/** The lines of a compressed and encrypted file. @throws Error when the key does not open it, or it was changed */
export const linesOfSealedFile = async function* (path: string, identity: string): AsyncIterable<string> {
  const decrypter = new Decrypter()
  decrypter.addIdentity(identity)
  const plain = await decrypter.decrypt(Readable.toWeb(createReadStream(path)) as ReadableStream<Uint8Array>)
  const unzipped = createGunzip()
  const chain = pipeline(Readable.fromWeb(plain as never), unzipped)
  chain.catch((error: unknown) => unzipped.destroy(error as Error))
  yield* linesOf(unzipped)
  await chain
}

/** Decrypt and unpack a file. @throws Error when the key does not open it, or it was changed */
export const openSealedFile = async (path: string, identity: string, to: string): Promise<void> => {
  const decrypter = new Decrypter()
  decrypter.addIdentity(identity)
  const plain = await decrypter.decrypt(Readable.toWeb(createReadStream(path)) as ReadableStream<Uint8Array>)
  await pipeline(Readable.fromWeb(plain as never), createGunzip(), createWriteStream(to, { mode: 0o600 }))
}

/** SHA-256 of a file, in hexadecimal digits. */
export const digestOfFile = async (path: string): Promise<string> => {
  const hash = createHash('sha256')
  await pipeline(createReadStream(path), hash)
  return hash.digest('hex')
}
