import { createCipheriv, createDecipheriv, randomBytes } from 'node:crypto'
import { readFile, writeFile } from 'node:fs/promises'
import { customType } from 'drizzle-orm/pg-core'

/** Marks a text that is sealed; what has no mark was written before texts were. */
const MARK = 'sealed1.'
const KEY_BYTES = 32
const IV_BYTES = 12
const TAG_BYTES = 16

/** Of this process; a database in memory needs no other. */
let key = randomBytes(KEY_BYTES)

/** The key does not open what is in the database. */
export class WrongSecretKey extends Error {
  constructor() {
    super(
      'The key file (secret.key in ZEST_DATA_DIR) does not match the database, so its secrets cannot be read. Restore the key file from the same backup.',
    )
  }
}

/** Seal a text with AES-256-GCM (NIST SP 800-38D), a new nonce each time. */
export const seal = (text: string): string => {
  const iv = randomBytes(IV_BYTES)
  const cipher = createCipheriv('aes-256-gcm', key, iv)
  const sealed = Buffer.concat([cipher.update(text, 'utf8'), cipher.final()])
  return MARK + Buffer.concat([iv, cipher.getAuthTag(), sealed]).toString('base64url')
}

/** @throws WrongSecretKey */
export const unseal = (text: string): string => {
  if (!text.startsWith(MARK)) return text
  const bytes = Buffer.from(text.slice(MARK.length), 'base64url')
  const decipher = createDecipheriv('aes-256-gcm', key, bytes.subarray(0, IV_BYTES))
  decipher.setAuthTag(bytes.subarray(IV_BYTES, IV_BYTES + TAG_BYTES))
  try {
    return decipher.update(bytes.subarray(IV_BYTES + TAG_BYTES), undefined, 'utf8') + decipher.final('utf8')
  } catch {
    throw new WrongSecretKey()
  }
}

/** Use the key in a file, made where there is none; for its own user only. */
export const useKeyFile = async (path: string): Promise<void> => {
  const kept = await readFile(path).catch((error: NodeJS.ErrnoException) => {
    if (error.code === 'ENOENT') return undefined
    throw error
  })
  if (kept?.length === KEY_BYTES) key = kept
  else if (kept === undefined) await writeFile(path, key, { mode: 0o600, flag: 'wx' })
  else throw new WrongSecretKey()
}

/** A column of texts that are nobody's but the owner's: sealed on their way into the database. */
export const secretText = customType<{ data: string; driverData: string }>({
  dataType: () => 'text',
  toDriver: seal,
  fromDriver: unseal,
})
