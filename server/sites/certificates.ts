import type { HasDatabase } from '../db/database.ts'
import type { HasPublisher } from './publishing.ts'
import type { HasEvents } from '../live/event-bus.ts'
import type { HasAddresses } from '../net/addresses.ts'
import type { HasClock } from '../live/clock.ts'
import { createPrivateKey, X509Certificate } from 'node:crypto'
import { eq } from 'drizzle-orm'
import type { CertificateOrder, Site } from '../../core/contracts/sites.ts'
import { automaticCertificates } from '../db/going-live-schema.ts'
import { sites } from '../db/schema.ts'
import { errors } from '../errors/app-errors.ts'
import { certificateNames } from './describe-certificate.ts'
import { getSite, siteRow } from './sites.ts'

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
    throw errors.badCertificate('The key does not belong to the certificate. Use a matching pair.')
  if (new Date(parsed.validTo) <= now)
    throw errors.badCertificate(`The certificate expired (${parsed.validTo}). Renew it first.`)
  if (parsed.checkHost(liveHost) === undefined)
    throw errors.badCertificate(
      `The certificate is for ${certificateNames(parsed).join(', ') || 'no host name'}, not for ${liveHost}.`,
    )
}

/** Use a certificate for the names it covers. @throws AppError NOT_FOUND, BAD_CERTIFICATE */
export const useCertificate = async (
  services: HasDatabase & HasPublisher & HasEvents & HasClock,
  siteId: string,
  order: CertificateOrder,
): Promise<void> => {
  const { db, publisher, events, now } = services
  const { liveHost } = await siteRow(db, siteId)
  refuseUnusable(order, liveHost, now())
  await db.update(sites).set({ tlsCertificate: order.certificate, tlsKey: order.key }).where(eq(sites.id, siteId))
  await publisher.publish()
  events.changed(siteId, 'site')
}

/** One that is got automatically would take the place of what the owner has chosen. */
const noLongerAutomatic = async ({ db, events }: HasDatabase & HasEvents, siteId: string): Promise<void> => {
  await db.delete(automaticCertificates).where(eq(automaticCertificates.siteId, siteId))
  events.changed(siteId, 'certificate')
}

/** Use the owner's own certificate; none is got automatically any more. @throws AppError NOT_FOUND, BAD_CERTIFICATE */
export const saveCertificate = async (
  services: HasDatabase & HasPublisher & HasEvents & HasAddresses & HasClock,
  siteId: string,
  order: CertificateOrder,
): Promise<Site> => {
  await useCertificate(services, siteId, order)
  await noLongerAutomatic(services, siteId)
  return getSite(services, siteId)
}

/** Go back to certificates that are made here. @throws AppError NOT_FOUND */
export const removeCertificate = async (
  services: HasDatabase & HasPublisher & HasEvents,
  siteId: string,
): Promise<void> => {
  const { db, publisher, events } = services
  await siteRow(db, siteId)
  await noLongerAutomatic(services, siteId)
  await db.update(sites).set({ tlsCertificate: null, tlsKey: null }).where(eq(sites.id, siteId))
  await publisher.publish()
  events.changed(siteId, 'site')
}
