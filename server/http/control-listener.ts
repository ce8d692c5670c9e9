import { mkdir, readFile, writeFile } from 'node:fs/promises'
import { createServer as createHttpServer, type RequestListener, type Server } from 'node:http'
import { createServer as createHttpsServer } from 'node:https'
import { join } from 'node:path'
import { X509Certificate } from 'node:crypto'
import { generate } from 'selfsigned'

/** Where control listens, and by what certificate it is known there. */
export interface ControlListening {
  readonly address: string
  /** Files with the owner's certificate and key, PEM; undefined: one is made here. */
  readonly certificateFile: string | undefined
  readonly keyFile: string | undefined
  /** Folder that a certificate made here is kept in. */
  readonly folder: string
  /** Names that a certificate made here is for. */
  readonly names: readonly string[]
}

const LASTS_MS = 365 * 86_400_000
const RENEW_BEFORE_MS = 30 * 86_400_000

/** On this machine nobody listens in; everywhere else passwords and sessions travel over TLS. */
export const needsTls = (address: string): boolean => !/^(?:127\.|::1$|localhost$)/i.test(address)

interface PemPair {
  readonly cert: string
  readonly key: string
}

const made = async (folder: string, names: readonly string[], now: number): Promise<PemPair> => {
  const path = join(folder, 'control.pem.json')
  const kept = await readFile(path, 'utf8').then(
    (text) => JSON.parse(text) as PemPair,
    () => undefined,
  )
  if (kept !== undefined && new Date(new X509Certificate(kept.cert).validTo).getTime() - now > RENEW_BEFORE_MS)
    return kept
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
      { name: 'subjectAltName', altNames: [...new Set([...names, 'localhost'])].map((value) => ({ type: 2, value })) },
    ],
  })
  await mkdir(folder, { recursive: true, mode: 0o700 })
  await writeFile(path, JSON.stringify({ cert, key }), { mode: 0o600 })
  return { cert, key }
}

/**
 * The server that control is reached through: over TLS as soon as it listens beyond this machine.
 * @throws Error with a sentence when the owner's certificate cannot be read
 */
export const createControlServer = async (
  listening: ControlListening,
  handler: RequestListener,
  now: number,
): Promise<{ readonly server: Server; readonly scheme: 'http' | 'https' }> => {
  const { address, certificateFile, keyFile, folder, names } = listening
  if (certificateFile !== undefined && keyFile !== undefined) {
    const [cert, key] = await Promise.all([readFile(certificateFile, 'utf8'), readFile(keyFile, 'utf8')]).catch(
      (error: Error) => {
        throw new Error(
          `The certificate of control cannot be read: ${error.message}. Check ZEST_CONTROL_CERTIFICATE and ZEST_CONTROL_KEY.`,
        )
      },
    )
    return { server: createHttpsServer({ cert, key, minVersion: 'TLSv1.2' }, handler), scheme: 'https' }
  }
  if (!needsTls(address)) return { server: createHttpServer(handler), scheme: 'http' }
  const pair = await made(folder, names, now)
  return { server: createHttpsServer({ ...pair, minVersion: 'TLSv1.2' }, handler), scheme: 'https' }
}
