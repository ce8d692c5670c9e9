/** One request as a web server wrote it down. */
export interface LoggedRequest {
  readonly method: string
  /** Path with query. */
  readonly path: string
  readonly status: number
}

/**
 * Common Log Format, and Combined, which adds referrer and user agent: host ident user [time] "request" status bytes. Quotes inside
 * the request are escaped by a backslash.
 */
const LINE = /^\S+ \S+ [^[]*\[[^\]]+\] "([A-Z]+) ((?:[^"\\]|\\.)*?)(?: HTTP\/[\d.]+)?" (\d{3}) (?:\d+|-)/

/** @returns undefined for a line in another format */
export const parseLogLine = (line: string): LoggedRequest | undefined => {
  const found = LINE.exec(line)
  if (found === null) return undefined
  const [, method, target, status] = found
  const path = target!.startsWith('/')
    ? target!
    : URL.canParse(target!)
      ? new URL(target!).pathname + new URL(target!).search
      : ''
  return path === '' ? undefined : { method: method!, path, status: Number(status) }
}

/** Files that pages are made of; a visit is a page. */
const FILE =
  /\.(?:css|m?js|map|json|xml|txt|png|jpe?g|gif|webp|avif|svg|ico|woff2?|ttf|otf|eot|mp[34]|webm|pdf|zip|gz)$/i

/** How often each page was visited. */
export interface VisitCount {
  readonly lines: number
  /** Lines in a format that is understood. */
  readonly understood: number
  /** By path without query: campaigns do not make another page (common practice). */
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
    const [path] = request.path.split('?', 1)
    const isPage = request.method === 'GET' && (request.status === 200 || request.status === 304) && !FILE.test(path!)
    if (isPage) visits.set(path!, (visits.get(path!) ?? 0) + 1)
  }
  return { lines: all, understood, visits }
}
