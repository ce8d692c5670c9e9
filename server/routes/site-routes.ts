import { z } from 'zod'
import {
  CertificateOrder,
  CheckSite,
  Confirmation,
  ConnectSite,
  EventTarget,
  Site,
  SiteCheck,
  Version,
} from '../../core/contracts/sites.ts'
import { endpoint, type Endpoint } from '../http/endpoint.ts'
import type { Services } from '../services.ts'
import { removeCertificate, saveCertificate } from '../sites/certificates.ts'
import { checkSite } from '../sites/check-site.ts'
import { confirmLive } from '../sites/confirm.ts'
import { listVersions } from '../sites/setups.ts'
import { connectSite, eventTarget, getSite, listSites, lookAgain, removeSite } from '../sites/sites.ts'

export const SiteParams = z.object({ siteId: z.string() })

export const siteEndpoints = (services: Services): Endpoint[] => [
  endpoint(
    {
      method: 'post',
      path: '/site-checks',
      summary: 'Check an address before connecting it',
      input: { body: CheckSite },
      reply: SiteCheck,
    },
    async ({ body }) => checkSite(body, services.addresses),
  ),
  endpoint({ method: 'get', path: '/sites', summary: 'All sites', reply: z.array(Site) }, async () =>
    listSites(services),
  ),
  endpoint(
    {
      method: 'post',
      path: '/sites',
      summary: 'Connect a site',
      input: { body: ConnectSite },
      reply: Site,
      status: 201,
    },
    async ({ body, account }) => connectSite(services, body, account!.name),
  ),
  endpoint(
    {
      method: 'get',
      path: '/sites/:siteId',
      summary: 'One site',
      input: { params: SiteParams },
      reply: Site,
    },
    async ({ params }) => getSite(services, params.siteId),
  ),
  endpoint(
    {
      method: 'delete',
      path: '/sites/:siteId',
      summary: 'Remove a site and everything measured of it',
      input: { params: SiteParams },
    },
    async ({ params }) => removeSite(services, params.siteId),
  ),
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/checks',
      summary: 'Look at the site again and read its sitemap anew',
      input: { params: SiteParams },
      reply: Site,
    },
    async ({ params }) => lookAgain(services, params.siteId),
  ),
  endpoint(
    {
      method: 'put',
      path: '/sites/:siteId/certificate',
      summary: 'Serve the site over TLS with a certificate of your own',
      input: { params: SiteParams, body: CertificateOrder },
      reply: Site,
    },
    async ({ params, body }) => saveCertificate(services, params.siteId, body),
  ),
  endpoint(
    {
      method: 'delete',
      path: '/sites/:siteId/certificate',
      summary: 'Go back to a certificate made here',
      input: { params: SiteParams },
    },
    async ({ params }) => removeCertificate(services, params.siteId),
  ),
  endpoint(
    {
      method: 'get',
      path: '/sites/:siteId/event-target',
      summary: 'Where and how the content system tells of changes',
      input: { params: SiteParams },
      reply: EventTarget,
    },
    async ({ params }) => eventTarget(services, params.siteId),
  ),
  endpoint(
    {
      method: 'get',
      path: '/sites/:siteId/versions',
      summary: 'Published setups, newest first',
      input: { params: SiteParams },
      reply: z.array(Version),
    },
    async ({ params }) => listVersions(services, params.siteId),
  ),
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/confirmations',
      summary: 'Ask live from outside, twice a page, and read what the answers say',
      input: { params: SiteParams },
      reply: z.array(Confirmation),
    },
    async ({ params }) => confirmLive(services, params.siteId),
  ),
]
