import { createPrivateKey, X509Certificate } from 'node:crypto'
import { eq } from 'drizzle-orm'
import type { CertificateOrder, Site } from '../../core/contracts/sites.ts'
import { sites } from '../db/schema.ts'
import { errors } from '../errors.ts'
import type { Services } from '../services.ts'
import { getSite, siteRow } from './sites.ts'

const namesOf = (certificate: X509Certificate): string[] =>
  (certificate.subjectAltName ?? '')
    .split(',')
    .map((part) => part.trim())
    .filter((part) => part.startsWith('DNS:'))
    .map((part) => part.slice(4))

/** What the owner sees of their certificate. The key is never given out again. */
export const describeCertificate = (pem: string): NonNullable<Site['certificate']> => {
  const certificate = new X509Certificate(pem)
  return { names: namesOf(certificate), validUntil: new Date(certificate.validTo).toISOString() }
}

const read = <T>(what: string, make: () => T): T => {
  try {
    return make()
  } catch {
    throw errors.badCertificate(
      `The ${what} is not in PEM form. Paste the whole file, from the line "-----BEGIN" to the line "-----END".`,
    )
  }
}

/** @throws AppError BAD_CERTIFICATE with what is wrong and what to do */
const refuseUnusable = ({ certificate, key }: CertificateOrder, liveHost: string, now: Date): void => {
  const parsed = read('certificate', () => new X509Certificate(certificate))
  const secret = read('key', () => createPrivateKey(key))
  if (!parsed.checkPrivateKey(secret))
    throw errors.badCertificate('The key does not belong to the certificate. Give the two of one pair.')
  if (new Date(parsed.validTo) <= now)
    throw errors.badCertificate(`The certificate has ended (${parsed.validTo}). Renew it first.`)
  if (parsed.checkHost(liveHost) === undefined)
    throw errors.badCertificate(
      `The certificate is for ${namesOf(parsed).join(', ') || 'no host name'}, not for ${liveHost}.`,
    )
}

/** Use the owner's certificate for the names it covers. @throws AppError NOT_FOUND, BAD_CERTIFICATE */
export const saveCertificate = async (services: Services, siteId: string, order: CertificateOrder): Promise<Site> => {
  const { db, publisher, events, now } = services
  const { liveHost } = await siteRow(db, siteId)
  refuseUnusable(order, liveHost, now())
  await db.update(sites).set({ tlsCertificate: order.certificate, tlsKey: order.key }).where(eq(sites.id, siteId))
  await publisher.publish()
  events.changed(siteId, 'site')
  return getSite(services, siteId)
}

/** Go back to certificates that are made here. @throws AppError NOT_FOUND */
export const removeCertificate = async (services: Services, siteId: string): Promise<void> => {
  const { db, publisher, events } = services
  await siteRow(db, siteId)
  await db.update(sites).set({ tlsCertificate: null, tlsKey: null }).where(eq(sites.id, siteId))
  await publisher.publish()
  events.changed(siteId, 'site')
}
