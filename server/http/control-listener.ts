import { X509Certificate } from 'node:crypto'
import { createServer as createHttpServer, type RequestListener, type Server } from 'node:http'
import { createServer as createHttpsServer } from 'node:https'
import { certificateFromFiles, needsTls, ownCertificate } from '../../process/own-certificate.ts'

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

/**
 * The server that control is reached through: over TLS as soon as it listens beyond this machine.
 * @throws Error with a sentence when the owner's certificate cannot be read
 */
export const createControlServer = async (
  listening: ControlListening,
  handler: RequestListener,
  now: number,
): Promise<{
  readonly server: Server
  readonly scheme: 'http' | 'https'
  /** SHA-256 of a certificate that was made here, hex. */
  readonly ownDigest?: string
}> => {
  const { address, certificateFile, keyFile, folder, names } = listening
  if (certificateFile !== undefined && keyFile !== undefined) {
    const pair = await certificateFromFiles(
      { certificateFile, keyFile },
      { of: 'control', settings: 'ZEST_CONTROL_CERTIFICATE and ZEST_CONTROL_KEY' },
    )
    return { server: createHttpsServer({ ...pair, minVersion: 'TLSv1.2' }, handler), scheme: 'https' }
  }
  if (!needsTls(address)) return { server: createHttpServer(handler), scheme: 'http' }
  const pair = await ownCertificate({ folder, file: 'control.pem.json' }, names, now)
  return {
    server: createHttpsServer({ ...pair, minVersion: 'TLSv1.2' }, handler),
    scheme: 'https',
    ownDigest: new X509Certificate(pair.cert).fingerprint256.replaceAll(':', '').toLowerCase(),
  }
}
