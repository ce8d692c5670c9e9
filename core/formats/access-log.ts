/** One request as a web server wrote it down. */
export interface LoggedRequest {
  readonly method: string
  /** Path with query. */
  readonly path: string
  readonly status: number
  /** When it came, epoch ms; undefined where the time cannot be read. */
  readonly at: number | undefined
}

/**
 * Common Log Format, and Combined, which adds referrer and user agent: host ident user [time] "request" status bytes. Quotes inside
 * the request are escaped by a backslash.
 */
const LINE = /^\S+ \S+ [^[]*\[([^\]]+)\] "([A-Z]+) ((?:[^"\\]|\\.)*?)(?: HTTP\/[\d.]+)?" (\d{3}) (?:\d+|-)/

const MONTHS = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec']
/** Day, month, year, time and zone: 10/Oct/2026:13:55:36 -0700 */
const TIME = /^(\d{2})\/([A-Z][a-z]{2})\/(\d{4}):(\d{2}):(\d{2}):(\d{2}) ([+-])(\d{2})(\d{2})$/

/** @returns epoch ms; undefined for a time in another format */
const logTime = (text: string): number | undefined => {
  const found = TIME.exec(text)
  if (found === null) return undefined
  const [, day, month = '', year, hours, minutes, seconds, sign, zoneHours, zoneMinutes] = found
  const at = MONTHS.indexOf(month)
  if (at === -1) return undefined
  const local = Date.UTC(Number(year), at, Number(day), Number(hours), Number(minutes), Number(seconds))
  const zoneMs = (Number(zoneHours) * 60 + Number(zoneMinutes)) * 60_000
  return sign === '-' ? local + zoneMs : local - zoneMs
}

/** @returns undefined for a line in another format */
export const parseLogLine = (line: string): LoggedRequest | undefined => {
  const found = LINE.exec(line)
  if (found === null) return undefined
  const [, time = '', method = '', target = '', status] = found
  const path = target.startsWith('/')
    ? target
    : URL.canParse(target)
      ? new URL(target).pathname + new URL(target).search
      : ''
  return path === '' ? undefined : { method, path, status: Number(status), at: logTime(time) }
}

/** Files that pages are made of; a visit is a page. */
const FILE =
  /\.(?:css|m?js|map|json|xml|txt|png|jpe?g|gif|webp|avif|svg|ico|woff2?|ttf|otf|eot|mp[34]|webm|pdf|zip|gz)$/i

/** The path of the page that was visited, without query: campaigns do not make another page (common practice). @returns undefined for what is no visit of a page */
export const visitedPage = ({ method, path, status }: LoggedRequest): string | undefined => {
  const [page = ''] = path.split('?', 1)
  return method === 'GET' && (status === 200 || status === 304) && !FILE.test(page) ? page : undefined
}

/** How often each page was visited. */
export interface VisitCount {
  readonly lines: number
  /** Lines in a format that is understood. */
  readonly understood: number
  /** By path without query. */
  readonly visits: ReadonlyMap<string, number>
}

/** Count the visits of pages: answered GET requests for what is not a file. @param lines one request each */
export const countVisits = (lines: Iterable<string>): VisitCount => {
  const visits = new Map<string, number>()
  let all = 0
  let understood = 0
  for (const line of lines) {
    if (line.trim() === '') continue
    all++
    const request = parseLogLine(line)
    if (request === undefined) continue
    understood++
    const page = visitedPage(request)
    if (page !== undefined) visits.set(page, (visits.get(page) ?? 0) + 1)
  }
  return { lines: all, understood, visits }
}
