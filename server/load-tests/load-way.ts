import { lookup } from 'node:dns/promises'
import { networkInterfaces } from 'node:os'
import { isIP } from 'node:net'
import type { LoadTarget } from '../../core/contracts/load-tests.ts'
import type { EdgeInfo } from '../../core/contracts/edges.ts'
import type { Site } from '../../core/contracts/sites.ts'
import {
  isLoopback,
  isPrivateAddress,
  PrivateAddressRefused,
  type PrivateAddresses,
} from '../../core/http/private-addresses.ts'
import { connectHost } from '../../core/http/special-names.ts'
import type { LoadWay } from '../../lab/load/load-messages.ts'
import { JobFailure } from '../jobs/job-queue.ts'
import type { Addresses } from '../net/addresses.ts'
import { askedSiteOf, keyField, namingFields } from '../net/asked-site.ts'

const PORTS = { http: 80, https: 443 }
const schemeOf = ({ protocol }: URL): 'http' | 'https' => (protocol === 'https:' ? 'https' : 'http')
const portOf = (url: URL): number => Number(url.port) || PORTS[schemeOf(url)]
const bare = (hostname: string): string => hostname.replace(/^\[|\]$/g, '')

/** The address behind a name: looked up once, so that all visitors go where it was allowed to go. @throws JobFailure */
const addressOf = async (hostname: string, reach: PrivateAddresses): Promise<string> => {
  const name = connectHost(bare(hostname))
  const address = isIP(name)
    ? name
    : (
        await lookup(name).catch(() => {
          throw new JobFailure(
            `The name ${name} could not be looked up. Check that this machine reaches a name server.`,
          )
        })
      ).address
  if (reach === 'refused' && isPrivateAddress(address))
    throw new JobFailure(new PrivateAddressRefused(hostname).message)
  return address
}

const isThisMachine = (address: string): boolean =>
  isLoopback(address) ||
  Object.values(networkInterfaces()).some((all) => all?.some((one) => one.address === address) === true)

/** Whether the origin of a site shares the processors with visitors that are made here. */
export const sharesMachine = async (site: Site): Promise<boolean> =>
  isThisMachine(await addressOf(new URL(site.address).hostname, 'allowed').catch(() => ''))

/** As delivery asks the origin for what visitors of live ask for (delivery/fetch/origin-request-fields.ts). */
const originWay = async (site: Site, cookie: string): Promise<LoadWay> => {
  const { address, hostHeader, publicAddress, originKey, liveUrl, hosts } = site
  const url = new URL(address)
  const live = new URL(liveUrl)
  const { host, ...fields } =
    publicAddress === null
      ? {
          host: hostHeader === 'visitor' ? live.host : url.host,
          'x-forwarded-host': live.host,
          'x-forwarded-proto': schemeOf(live),
          ...keyField(originKey),
        }
      : namingFields(askedSiteOf(site))
  const connect = await addressOf(url.hostname, hosts.privateAddresses)
  return {
    scheme: schemeOf(url),
    connect,
    port: portOf(url),
    host: host ?? url.host,
    certificate: isPrivateAddress(connect) ? 'any' : 'checked',
    cookie,
    fields,
  }
}

const liveWay = (site: Site, { deliveryPort, securePort }: Addresses, cookie: string): LoadWay => {
  const live = new URL(site.liveUrl)
  const scheme = schemeOf(live)
  return {
    scheme,
    connect: '127.0.0.1',
    port: scheme === 'https' ? securePort : deliveryPort,
    host: live.host,
    certificate: 'any',
    cookie,
    fields: {},
  }
}

const edgeWay = async (site: Site, edge: EdgeInfo, cookie: string): Promise<LoadWay> => {
  if (edge.address === null)
    throw new JobFailure(`${edge.name} has no address by which visitors reach it. Enter it at Edges, then test again.`)
  const live = new URL(site.liveUrl)
  const scheme = schemeOf(live)
  const connect = await addressOf(edge.address, 'allowed')
  return {
    scheme,
    connect,
    port: scheme === 'https' ? edge.securePort : edge.port,
    host: live.host,
    certificate: isPrivateAddress(connect) ? 'any' : 'checked',
    cookie,
    fields: {},
  }
}

/** How visitors of a test reach a target. @param edges of the site @throws JobFailure with what to do */
export const loadWay = async (
  target: LoadTarget,
  site: Site,
  edges: readonly EdgeInfo[],
  addresses: Addresses,
  cookie: string,
): Promise<LoadWay> => {
  if (target.kind === 'origin') return originWay(site, cookie)
  if (target.kind === 'live') return liveWay(site, addresses, cookie)
  const edge = edges.find(({ id }) => id === target.edgeId)
  if (edge === undefined)
    throw new JobFailure('One of the edges of this test is away or gone. Start the test again without it.')
  return edgeWay(site, edge, cookie)
}
