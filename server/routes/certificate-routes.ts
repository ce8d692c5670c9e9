import { AutomaticCertificateOrder, AutomaticCertificateState } from '../../core/contracts/certificates.ts'
import { Job } from '../../core/contracts/jobs.ts'
import type { HasDatabase } from '../db/database.ts'
import { automaticCertificate, endAutomatic, orderAutomatic, tryCertificate } from '../golive/automatic-certificate.ts'
import { endpoint, type Endpoint } from '../http/endpoint.ts'
import type { HasJobs } from '../jobs/job-queue.ts'
import type { HasEvents } from '../live/event-bus.ts'
import type { HasPublisher } from '../sites/publishing.ts'
import { SiteParams } from './site-routes.ts'

const path = '/sites/:siteId/certificate/automatic'

/** Certificates that are got from an authority (ACME), and renewed. */
export const certificateEndpoints = (services: HasDatabase & HasJobs & HasEvents & HasPublisher): Endpoint[] => [
  endpoint(
    {
      method: 'get',
      path,
      summary: 'Where getting and renewing the certificate of a site stands',
      input: { params: SiteParams },
      reply: AutomaticCertificateState,
    },
    async ({ params }) => automaticCertificate(services, params.siteId),
  ),
  endpoint(
    {
      method: 'put',
      path,
      summary: 'Get the certificate from an authority that speaks ACME (RFC 8555), and renew it in time',
      input: { params: SiteParams, body: AutomaticCertificateOrder },
      reply: Job,
      status: 202,
    },
    async ({ params, body }) => orderAutomatic(services, params.siteId, body),
  ),
  endpoint(
    {
      method: 'post',
      path: `${path}/tries`,
      summary: 'Try now to get the certificate, or to renew it',
      input: { params: SiteParams },
      reply: Job,
      status: 202,
    },
    async ({ params }) => tryCertificate(services, params.siteId),
  ),
  endpoint(
    {
      method: 'delete',
      path,
      summary: 'No longer get the certificate; the one in use stays until it ends',
      input: { params: SiteParams },
    },
    async ({ params }) => endAutomatic(services, params.siteId),
  ),
]
