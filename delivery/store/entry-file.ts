import { createHash, randomBytes } from 'node:crypto'
import { open, readFile, rename, rm } from 'node:fs/promises'
import { z } from 'zod'
import type { CacheKey } from '../../core/cache/cache-key.ts'
import { CODINGS, type Coding } from '../../core/http/negotiation.ts'
import { FILLED_BY } from '../../core/http/stored-response.ts'
import { epochMs, seconds } from '../../core/time.ts'
import { internFields, internNominated } from './interning.ts'
import { STORED_FORMAT, type Bodies, type StoredEntry } from './response-store.ts'

/**
 * One entry, one file: a line of JSON that describes it, then the bytes of each coding in the order of the description.
 * Written beside and renamed, so that a file is there whole or not at all.
 */
const Header = z.object({
  format: z.literal(STORED_FORMAT),
  key: z.string().transform((key) => key as CacheKey),
  id: z.string(),
  status: z.int(),
  fields: z.array(z.tuple([z.string(), z.string()])),
  requestTime: z.number().transform(epochMs),
  responseTime: z.number().transform(epochMs),
  correctedInitialAge: z.number().transform(seconds),
  nominated: z.array(z.tuple([z.string(), z.string().nullable()])),
  staleSince: z.number().transform(epochMs).optional(),
  askEachTime: z.literal(true).optional(),
  rewritten: z.literal(true).optional(),
  asItCame: z.literal(true).optional(),
  prerender: z.literal('allowed').optional(),
  filledBy: z.enum(FILLED_BY).optional(),
  bodies: z.array(
    z.object({
      coding: z.enum(CODINGS),
      bytes: z.int(),
      digest: z.string(),
      best: z.literal(true).optional(),
    }),
  ),
})

/** Headers of entries are small; a longer first line means a damaged file. */
const LONGEST_HEADER = 256 * 1024

/** 128 bits of SHA-256: enough to notice damage, and half the memory of the whole. */
export const digestOf = (bytes: Buffer): string => createHash('sha256').update(bytes).digest('base64url').slice(0, 22)

/** Description of an entry as one line of JSON. */
export const headerText = (entry: StoredEntry): string => JSON.stringify({ format: STORED_FORMAT, ...entry })

export const writeEntry = async (path: string, entry: StoredEntry, bodies: Bodies): Promise<void> => {
  const beside = `${path}.${randomBytes(6).toString('hex')}.part`
  const header = Buffer.from(`${headerText(entry)}\n`)
  const file = await open(beside, 'wx')
  try {
    await file.writev([header, ...entry.bodies.map(({ coding }) => bodies.get(coding)!)])
    await file.datasync()
  } catch (error) {
    await file.close()
    await rm(beside, { force: true })
    throw error
  }
  await file.close()
  await rename(beside, path)
}

/** An entry from its description; undefined when it is not one, or of another format. */
export const parseHeader = (line: string): StoredEntry | undefined => {
  try {
    const { format: _format, ...entry } = Header.parse(JSON.parse(line))
    return { ...entry, fields: internFields(entry.fields), nominated: internNominated(entry.nominated) }
  } catch {
    return undefined
  }
}

/** The description of an entry without its bytes; undefined when damaged, of another format, or of the wrong length. */
export const readEntryHeader = async (path: string): Promise<StoredEntry | undefined> => {
  const file = await open(path, 'r')
  try {
    const { size } = await file.stat()
    const start = Buffer.alloc(Math.min(size, 8192))
    await file.read(start, 0, start.length, 0)
    let end = start.indexOf(10)
    let text = start
    if (end === -1) {
      text = Buffer.alloc(Math.min(size, LONGEST_HEADER))
      await file.read(text, 0, text.length, 0)
      end = text.indexOf(10)
    }
    if (end === -1) return undefined
    const entry = parseHeader(text.toString('utf8', 0, end))
    const expected = entry?.bodies.reduce((sum, { bytes }) => sum + bytes, end + 1)
    return expected === size ? entry : undefined
  } finally {
    await file.close()
  }
}

/** An entry with all its bytes, each checked against its digest; undefined when the file is not there or damaged. */
export const readWholeEntry = async (
  path: string,
): Promise<{ entry: StoredEntry; bodies: Map<Coding, Buffer> } | undefined> => {
  const whole = await readFile(path).catch(() => undefined)
  const headerEnd = whole?.subarray(0, LONGEST_HEADER).indexOf(10) ?? -1
  if (whole === undefined || headerEnd === -1) return undefined
  const entry = parseHeader(whole.toString('utf8', 0, headerEnd))
  if (entry === undefined) return undefined
  const bodies = new Map<Coding, Buffer>()
  let offset = headerEnd + 1
  for (const { coding, bytes, digest } of entry.bodies) {
    const body = whole.subarray(offset, offset + bytes)
    if (digestOf(body) !== digest) return undefined
    bodies.set(coding, body)
    offset += bytes
  }
  return { entry, bodies }
}

/** Bytes of one coding, checked against their digest; undefined when the file is gone or damaged. */
export const readEntryBody = async (path: string, entry: StoredEntry, coding: Coding): Promise<Buffer | undefined> => {
  const whole = await readFile(path).catch(() => undefined)
  const headerEnd = whole?.indexOf(10) ?? -1
  if (whole === undefined || headerEnd === -1) return undefined
  let offset = headerEnd + 1
  for (const body of entry.bodies) {
    const bytes = whole.subarray(offset, offset + body.bytes)
    if (body.coding === coding) return digestOf(bytes) === body.digest ? Buffer.from(bytes) : undefined
    offset += body.bytes
  }
  return undefined
}
