import type { IncomingMessage } from 'node:http'
import { findLoop } from '../../core/http/cdn-loop.ts'
import {
  fieldLines,
  fieldsFromRaw,
  fieldValue,
  hasField,
  withField,
  withoutFields,
  type Fields,
} from '../../core/http/fields.ts'
import { asciiTarget } from '../../core/http/ascii-target.ts'
import type { SiteRequest } from './site-request.ts'
import { EDGE_FIELD, edgeAsks, type EdgeKeys } from './edge-access.ts'
import { LARGEST_UPLOAD_BYTES, LONGEST_TARGET } from './limits.ts'
import { connectionOf } from './on-behalf.ts'
import { hostName, type Routes } from './routes.ts'

/** What reading a request needs from outside. */
export interface ParsingIo {
  readonly routes: () => Routes
  /** Name of this process in Via. */
  readonly instance: string
  /** Edges that may ask here on their visitors' behalf; undefined where there are none. */
  readonly edges?: (() => EdgeKeys) | undefined
  /** The port visitors reach a scheme under. */
  readonly publicPort: (scheme: 'http' | 'https') => number
}

/** Why a request is not even looked at, for the person who sent it. */
export interface Refusal {
  readonly status: number
  readonly title: string
  readonly sentence: string
}

export type ParsedRequest = { kind: 'refused'; refusal: Refusal } | { kind: 'understood'; request: SiteRequest }

const refused = (status: number, title: string, sentence: string): ParsedRequest => ({
  kind: 'refused',
  refusal: { status, title, sentence },
})

const UNREADABLE = refused(
  400,
  'This request cannot be read',
  'The address or the Host field of the request is not well-formed.',
)

const CIRCLE = refused(
  508,
  'This site points at itself',
  'The origin of this site is Zest Lamp itself. Set the address of the real web server as its origin.',
)

const DEFAULT_PORT = { http: 80, https: 443 }
/** Host and port of a site as absolute addresses have them. */
export const publicHost = (
  name: string,
  scheme: 'http' | 'https',
  { publicPort }: Pick<ParsingIo, 'publicPort'>,
): string => {
  const port = publicPort(scheme)
  return port === DEFAULT_PORT[scheme] ? name : `${name}:${port}`
}

/** Path and query, and the host that an absolute form names: it goes before Host (RFC 9112 §3.2.2). Undefined for any other form. */
const readTarget = (url: string): { target: string; host: string | undefined } | undefined => {
  // A fragment is for the browser alone, and has no place in a request (RFC 9110 §7.1).
  if (url.includes('#')) return undefined
  if (url.startsWith('/')) return { target: url, host: undefined }
  if (!/^https?:\/\//i.test(url) || !URL.canParse(url)) return undefined
  const { pathname, search, host } = new URL(url)
  return { target: pathname + search, host }
}

const isRepeated = (fields: Fields, name: string): boolean => {
  let times = 0
  for (const [have] of fields) if (have === name) times++
  return times > 1
}

/**
 * Fields of a request in the form of HTTP/1.1: HTTP/2 has the host in a pseudo-field (RFC 9113 §8.3.1) and may send cookies in several
 * lines, which are one (§8.2.3).
 */
export const readFields = (req: IncomingMessage): Fields => {
  let fields = fieldsFromRaw(req.rawHeaders)
  if (req.httpVersionMajor >= 2) {
    const authority = fieldLines(fields, ':authority')[0]
    fields = fields.filter(([name]) => !name.startsWith(':'))
    if (authority !== undefined) fields = withField(fields, 'host', authority)
  }
  return isRepeated(fields, 'cookie') ? withField(fields, 'cookie', fieldLines(fields, 'cookie').join('; ')) : fields
}

/** Read a request and find the site it is for. */
export const parseRequest = (req: IncomingMessage, io: ParsingIo): ParsedRequest => {
  const url = req.url ?? ''
  if (url.length > LONGEST_TARGET)
    return refused(414, 'This address is too long', 'The address of the request is too long.')
  // Node reads the bytes of a target as Latin-1 in HTTP/1.1, and as UTF-8 in HTTP/2.
  const read = readTarget(asciiTarget(url, req.httpVersionMajor >= 2 ? 'utf8' : 'latin1'))
  const fields = readFields(req)
  const host = fieldValue(fields, 'host')
  if (read === undefined || host === undefined || isRepeated(fields, 'host')) return UNREADABLE
  const name = hostName(read.host ?? host)
  const route = io.routes().get(name)
  if (route === undefined)
    return refused(
      421,
      'This host is not served here',
      'Zest Lamp has no site with this name. Connect the site, or check the DNS record.',
    )
  if (req.method === 'TRACE' || req.method === 'CONNECT')
    return refused(405, 'This method is not served', 'TRACE and CONNECT are not served.')
  if (req.headers.via?.includes(io.instance) === true) return CIRCLE
  if (Number(req.headers['content-length'] ?? 0) > LARGEST_UPLOAD_BYTES)
    return refused(413, 'This upload is too large', 'The upload is larger than this site accepts.')
  const claims = hasField(fields, EDGE_FIELD)
  const asks = claims ? edgeAsks(fields, io.edges?.() ?? NO_EDGES) : undefined
  const loop = asks === undefined ? findLoop(fields, io.instance) : NO_LOOP
  if (loop.kind === 'here') return CIRCLE
  const connection = connectionOf(req)
  const scheme = asks?.scheme ?? connection.scheme
  const { target } = read
  const mark = target.indexOf('?')
  return {
    kind: 'understood',
    request: {
      route,
      visitor: {
        address: asks?.address ?? connection.address,
        hostName: name,
        host: publicHost(name, scheme, io),
        scheme,
      },
      method: req.method ?? 'GET',
      target,
      path: mark === -1 ? target : target.slice(0, mark),
      // What only an edge may say is nothing in anybody else's request.
      fields: asks?.fields ?? (claims ? withoutFields(fields, ONLY_OF_EDGES) : fields),
      edge: asks?.edge,
      looped: loop.kind === 'through-another' ? true : undefined,
    },
  }
}

const NO_EDGES: EdgeKeys = new Map()
const NO_LOOP = { kind: 'none' } as const
const ONLY_OF_EDGES = new Set([EDGE_FIELD])

/** The address of the same page over TLS. */
export const secureAddress = ({ visitor, target }: SiteRequest, io: ParsingIo): string =>
  `https://${publicHost(visitor.hostName, 'https', io)}${target}`
