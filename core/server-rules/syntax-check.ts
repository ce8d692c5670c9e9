import type { RulesKind } from '../contracts/server-rules.ts'

/** What a web server's syntax check says of a line. */
export interface Complaint {
  /** Counted from 1, in the file that was checked. */
  readonly line: number
  readonly message: string
  /** A word that belongs to a module which the server does not have. */
  readonly unknown: string | null
}

/** A file that another one names is said last. */
const APACHE = /Syntax error on line (\d+) of ([^\s:]+):\s*(?=([^\n]*))/g
const APACHE_UNKNOWN = /Invalid command '([^']+)', perhaps misspelled or defined by a module/
const NGINX = /\[emerg\][^:]*: (.+) in ([^\s]+):(\d+)/
const NGINX_UNKNOWN = /unknown directive "([^"]+)"/

/**
 * Read what the syntax check of a web server says.
 * @param file ending of the name of the file whose lines are wanted
 * @returns undefined when it names no line of that file
 */
export const readComplaint = (kind: RulesKind, said: string, file: string): Complaint | undefined => {
  if (kind === 'apache') {
    const [, line, , rest = ''] = [...said.matchAll(APACHE)].findLast(([, , where = '']) => where.endsWith(file)) ?? []
    if (line === undefined) return undefined
    const message = rest.replace(/^\S+:\d+: /, '').trim()
    return { line: Number(line), message, unknown: APACHE_UNKNOWN.exec(message)?.[1] ?? null }
  }
  const [, message = '', where = '', line] = NGINX.exec(said) ?? []
  if (line === undefined || !where.endsWith(file)) return undefined
  return { line: Number(line), message, unknown: NGINX_UNKNOWN.exec(message)?.[1] ?? null }
}
