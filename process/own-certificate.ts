import { X509Certificate } from 'node:crypto'
import { mkdir, readFile, writeFile } from 'node:fs/promises'
import { isIP } from 'node:net'
import { join } from 'node:path'
import { generate } from 'selfsigned'

/** A certificate and its key, PEM. */
export interface PemPair {
  readonly cert: string
  readonly key: string
}

const LASTS_MS = 365 * 86_400_000
const RENEW_BEFORE_MS = 30 * 86_400_000
/** Kinds of names in a certificate (RFC 5280, section 4.2.1.6). */
const DNS_NAME = 2
const IP_ADDRESS = 7

/** On this machine nobody listens in; everywhere else passwords and sessions travel over TLS. */
export const needsTls = (address: string): boolean => !/^(?:127\.|::1$|localhost$)/i.test(address)

const made = async (names: readonly string[], now: number): Promise<PemPair> => {
  const { cert, private: key } = await generate([{ name: 'commonName', value: names[0] ?? 'localhost' }], {
    keyType: 'ec',
    curve: 'P-256',
    algorithm: 'sha256',
    notBeforeDate: new Date(now - 3_600_000),
    notAfterDate: new Date(now + LASTS_MS),
    extensions: [
      { name: 'basicConstraints', cA: false },
      { name: 'keyUsage', digitalSignature: true },
      { name: 'extKeyUsage', serverAuth: true },
      {
        name: 'subjectAltName',
        altNames: [...new Set([...names, 'localhost'])].map((one) =>
          isIP(one) === 0 ? { type: DNS_NAME, value: one } : { type: IP_ADDRESS, ip: one },
        ),
      },
    ],
  })
  return { cert, key }
}

/**
 * A certificate made here, kept until it is about to run out.
 * @param path file that it is kept in @param names names and addresses that it is for @param now epoch ms
 */
export const ownCertificate = async (
  { folder, file }: { readonly folder: string; readonly file: string },
  names: readonly string[],
  now: number,
): Promise<PemPair> => {
  const path = join(folder, file)
  const kept = await readFile(path, 'utf8').then(
    (text) => JSON.parse(text) as PemPair,
    () => undefined,
  )
  if (kept !== undefined && new Date(new X509Certificate(kept.cert).validTo).getTime() - now > RENEW_BEFORE_MS)
    return kept
  const pair = await made(names, now)
  await mkdir(folder, { recursive: true, mode: 0o700 })
  await writeFile(path, JSON.stringify(pair), { mode: 0o600 })
  return pair
}

/**
 * The owner's certificate and key.
 * @param whose what it is for, and which settings name the files: for the sentence
 * @throws Error with a sentence when one cannot be read
 */
export const certificateFromFiles = async (
  { certificateFile, keyFile }: { readonly certificateFile: string; readonly keyFile: string },
  whose: { readonly of: string; readonly settings: string },
): Promise<PemPair> => {
  const [cert, key] = await Promise.all([readFile(certificateFile, 'utf8'), readFile(keyFile, 'utf8')]).catch(
    (error: Error) => {
      throw new Error(`The certificate of ${whose.of} cannot be read: ${error.message}. Check ${whose.settings}.`)
    },
  )
  return { cert, key }
}
