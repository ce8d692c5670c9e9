import { upTo } from './up-to.ts'
/** Name of the cookie that a Set-Cookie line sets (RFC 6265 §5.2). */
export const cookieNameOf = (line: string): string => upTo(upTo(line, ';'), '=').trim()
