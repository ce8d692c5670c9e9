/** Name of the cookie that a Set-Cookie line sets (RFC 6265 §5.2). */
export const cookieNameOf = (line: string): string => line.split(';', 1)[0]!.split('=', 1)[0]!.trim()
