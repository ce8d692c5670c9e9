import { createHash, createPublicKey, generateKeyPair, randomUUID } from 'node:crypto'
import { chmod, link, mkdir, readFile, rename, rm, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { promisify } from 'node:util'
import { z } from 'zod'

/** The key of all certificates that are made here, PEM. */
const OwnKey = z.object({ privateKey: z.string(), publicKey: z.string() })
export type OwnKey = z.infer<typeof OwnKey>

/** Where certificates are kept, below the data folder. */
export const certificatesFolder = (dataDir: string): string => join(dataDir, 'delivery', 'tls')

const pathIn = (folder: string): string => join(folder, 'own-key.json')

const readKey = (folder: string): Promise<OwnKey | undefined> =>
  readFile(pathIn(folder), 'utf8').then(
    (text) => OwnKey.parse(JSON.parse(text)),
    () => undefined,
  )

/** The key of this installation; made the first time. Two processes that ask for it at once get the same one. */
export const ownKey = async (folder: string): Promise<OwnKey> => {
  const known = await readKey(folder)
  if (known !== undefined) return known
  const made = await promisify(generateKeyPair)('ec', {
    namedCurve: 'P-256',
    privateKeyEncoding: { type: 'pkcs8', format: 'pem' },
    publicKeyEncoding: { type: 'spki', format: 'pem' },
  })
  await mkdir(folder, { recursive: true, mode: 0o700 })
  const part = `${pathIn(folder)}.${randomUUID()}.part`
  await writeFile(part, JSON.stringify(made), { mode: 0o600 })
  await chmod(part, 0o600)
  // Unlike renaming, linking never replaces a key that another process has made meanwhile. Where that has failed otherwise, no key can be read.
  await link(part, pathIn(folder)).catch(() => undefined)
  const kept = await readKey(folder)
  if (kept === undefined) await rename(part, pathIn(folder))
  await rm(part, { force: true })
  return kept ?? made
}

/** SHA-256 of a public key (SubjectPublicKeyInfo, RFC 7469 §2.4), in Base64. @param publicKey PEM */
export const keyDigest = (publicKey: string): string =>
  createHash('sha256')
    .update(createPublicKey(publicKey).export({ type: 'spki', format: 'der' }))
    .digest('base64')

/** Digest of the key of this installation's own certificates; undefined as long as none has been made. */
export const ownKeyDigest = async (dataDir: string): Promise<string | undefined> => {
  const key = await readKey(certificatesFolder(dataDir))
  return key === undefined ? undefined : keyDigest(key.publicKey)
}
