import { promisify } from 'node:util'
import { brotliCompress, brotliDecompress, constants, gunzip, gzip, inflate } from 'node:zlib'
import type { CodingSize, QuickCheck, QuickCheckHop, QuickCheckOrder } from '../../core/contracts/quick-check.ts'
import { quickPoints } from '../../core/audit/quick-check.ts'
import { fieldValue } from '../../core/http/fields.ts'
import { epochMs } from '../../core/time.ts'
import { errors } from '../errors/app-errors.ts'
import { sentenceForFailure } from '../net/outside-request.ts'
import { askHop, type HopAnswer } from '../net/hop.ts'
import { PrivateAddressRefused } from '../../core/http/private-addresses.ts'

const MOST_REDIRECTS = 5
/** For all redirects together; a check that takes longer is no quick one. */
const TIMEOUT_MS = 8000
const MOST_DECODED = 32 * 1024 * 1024
/** The best Brotli level takes about a second for this much. */
const MOST_FOR_BEST = 400_000

const FIELDS = {
  'user-agent': 'zest-lamp',
  accept: 'text/html,application/xhtml+xml,*/*;q=0.8',
  'accept-encoding': 'br, gzip',
  'accept-language': 'en',
}

const decoded = async (body: Buffer, coding: string | undefined): Promise<Buffer> => {
  const limit = { maxOutputLength: MOST_DECODED }
  if (coding === 'gzip' || coding === 'x-gzip') return promisify(gunzip)(body, limit)
  if (coding === 'br') return promisify(brotliDecompress)(body, limit)
  if (coding === 'deflate') return promisify(inflate)(body, limit)
  return body
}

const TEXT = /^(text\/|application\/(json|javascript|xml|xhtml\+xml|ld\+json|manifest\+json|wasm)|image\/svg)/i

/** What zlib makes of it at the levels that servers use (RFC 1952, RFC 7932): quick, usual and best. */
const sizesOf = async (text: Buffer): Promise<CodingSize[]> => {
  const gzipped = await Promise.all(
    [1, 6, 9].map(async (level) => ({
      coding: 'gzip' as const,
      level,
      bytes: (await promisify(gzip)(text, { level })).length,
    })),
  )
  const levels = text.length <= MOST_FOR_BEST ? [4, 6, 11] : [4, 6]
  const brotli = await Promise.all(
    levels.map(async (level) => {
      const params = {
        [constants.BROTLI_PARAM_QUALITY]: level,
        [constants.BROTLI_PARAM_SIZE_HINT]: text.length,
      }
      return {
        coding: 'br' as const,
        level,
        bytes: (await promisify(brotliCompress)(text, { params })).length,
      }
    }),
  )
  return [{ coding: 'none', level: 0, bytes: text.length }, ...gzipped, ...brotli]
}

const askNext = async (url: URL, reach: QuickCheckOrder['privateAddresses'], timeoutMs: number): Promise<HopAnswer> => {
  try {
    return await askHop(url.href, FIELDS, { reach, timeoutMs: Math.max(1, Math.round(timeoutMs)) })
  } catch (error) {
    if (error instanceof PrivateAddressRefused) throw errors.privateAddress(error.message)
    throw errors.notReached(sentenceForFailure(error as Error, url))
  }
}

/** Where a redirect leads, if it leads to a host that may be asked. */
const nextHop = ({ status, location }: QuickCheckHop, from: URL, hosts: ReadonlySet<string>): URL | undefined => {
  if (status < 300 || status >= 400 || location === null || !URL.canParse(location, from)) return undefined
  const target = new URL(location, from)
  return hosts.has(target.host) && /^https?:$/.test(target.protocol) ? target : undefined
}

/**
 * Look at one address without a browser.
 * @param mayAsk hosts to which a redirect may be followed, besides the address's own
 * @throws AppError NOT_REACHED, PRIVATE_ADDRESS
 */
export const quickCheck = async (
  { address, privateAddresses }: QuickCheckOrder,
  mayAsk: ReadonlySet<string> = new Set(),
): Promise<QuickCheck> => {
  const begun = performance.now()
  const hosts = new Set([...mayAsk, new URL(address).host])
  const hops: QuickCheckHop[] = []
  let body = Buffer.alloc(0)
  for (let next: URL | undefined = new URL(address); next !== undefined && hops.length <= MOST_REDIRECTS;) {
    const answer: HopAnswer = await askNext(next, privateAddresses, TIMEOUT_MS - (performance.now() - begun))
    hops.push(answer.hop)
    body = Buffer.from(answer.body)
    next = nextHop(answer.hop, next, hosts)
  }
  const { fields } = hops.at(-1)!
  const coding = fieldValue(fields, 'content-encoding')?.toLowerCase()
  const text = await decoded(body, coding).catch(() => body)
  const isText = TEXT.test(fieldValue(fields, 'content-type') ?? '') && text.length > 0
  const answers = {
    hops,
    sizes: isText ? await sizesOf(text) : null,
    sentBytes: body.length,
    decodedBytes: text.length,
  }
  return {
    address,
    ...answers,
    points: quickPoints(answers, epochMs(Date.now())),
    tookMs: performance.now() - begun,
  }
}
