import { X509Certificate } from 'node:crypto'
import type { Site } from '../../core/contracts/sites.ts'

/** Host names that a certificate covers (RFC 5280 §4.2.1.6, dNSName). */
export const certificateNames = (certificate: X509Certificate): string[] =>
  (certificate.subjectAltName ?? '')
    .split(',')
    .map((part) => part.trim())
    .filter((part) => part.startsWith('DNS:'))
    .map((part) => part.slice(4))

/** What the owner sees of their certificate. The key is never given out again. */
export const describeCertificate = (pem: string): NonNullable<Site['certificate']> => {
  const certificate = new X509Certificate(pem)
  return { names: certificateNames(certificate), validUntil: new Date(certificate.validTo).toISOString() }
}
