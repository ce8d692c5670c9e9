import { writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import type { TlsOptions } from 'node:tls'
import { certificateFromFiles, needsTls, ownCertificate } from '../../process/own-certificate.ts'

/** Where the object cache listens, and by what certificate it is known there. */
export interface Listening {
  readonly address: string
  readonly certificateFile: string | undefined
  readonly keyFile: string | undefined
  /** Folder that a certificate made here is kept in. */
  readonly folder: string
}

/**
 * What clients from beyond this machine need: TLS. They are to trust a certificate made here, which also stands in a file by itself for them.
 * @returns undefined on this machine, where nobody listens in
 * @throws Error with a sentence when the owner's certificate cannot be read
 */
export const tlsFor = async (
  { address, certificateFile, keyFile, folder }: Listening,
  now: number,
): Promise<TlsOptions | undefined> => {
  if (certificateFile !== undefined && keyFile !== undefined) {
    const settings = 'ZEST_OBJECTS_CERTIFICATE and ZEST_OBJECTS_KEY'
    const pair = await certificateFromFiles({ certificateFile, keyFile }, { of: 'the object cache', settings })
    return { ...pair, minVersion: 'TLSv1.2' }
  }
  if (!needsTls(address)) return undefined
  const pair = await ownCertificate({ folder, file: 'objects.pem.json' }, [address], now)
  await writeFile(join(folder, 'objects-certificate.pem'), pair.cert)
  return { ...pair, minVersion: 'TLSv1.2' }
}
