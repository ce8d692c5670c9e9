/** Where values are kept that are kept in another server. */
export interface ServerAddress {
  readonly url: string
  readonly host: string
  readonly port: number
  readonly secure: boolean
  readonly user: string | undefined
  readonly password: string | undefined
  /** Number of its database. */
  readonly db: number
}

const FORM = 'redis://[name:password@]host[:port][/database], or rediss:// over TLS'
const PORT = 6379

/** @param url redis://[name:password@]host[:port][/database], or rediss:// over TLS. @throws Error with a sentence that holds no password */
export const parseServerAddress = (url: string): ServerAddress => {
  const parsed = URL.canParse(url) ? new URL(url) : undefined
  const db = /^\/?(\d{0,4})$/.exec(parsed?.pathname ?? '')
  if (parsed === undefined || !/^rediss?:$/.test(parsed.protocol) || parsed.hostname === '' || db === null)
    throw new Error(`ZEST_OBJECTS_URL is no address of a server. It reads ${FORM}.`)
  const word = (text: string): string | undefined => (text === '' ? undefined : decodeURIComponent(text))
  return {
    url,
    host: parsed.hostname.replace(/^\[|\]$/g, ''),
    port: parsed.port === '' ? PORT : Number(parsed.port),
    secure: parsed.protocol === 'rediss:',
    user: word(parsed.username),
    password: word(parsed.password),
    db: Number(db[1]),
  }
}
