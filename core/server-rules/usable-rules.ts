import type { RehearsalResult, ServerKind } from '../contracts/server-rules.ts'

type NotUsed = RehearsalResult['notUsed'][number]

/** A rules file as the rehearsal uses it: every line where it was. */
export type UsableRules =
  | { readonly kind: 'usable'; readonly rules: string; readonly notUsed: readonly NotUsed[] }
  | { readonly kind: 'refused'; readonly sentence: string }

/** A line goes on where it ends in a backslash; what it says is known only when it is read whole. */
const continued = (lines: readonly string[]): string[] =>
  lines.map((line, index) => {
    let whole = line
    for (let next = index + 1; whole.endsWith('\\') && next < lines.length; next++)
      whole = whole.slice(0, -1) + (lines[next] ?? '')
    return whole
  })

/** Expressions of Apache that read files of the server, which a rehearsal must not do. */
const READS_FILES = /\bfile(?:size|mod)?\s*[(:]/i
/** Lines that say what runs the programs of a site: the copy has none. */
const RUNS_PROGRAMS = /^\s*(?:(?:AddHandler|SetHandler|Action|Script)\b|AddType\b.*\bphp)/i

/** What nginx may be told on the level of `http` without reaching other hosts, files or programs. */
const NGINX_WORDS =
  /^(?:gzip|brotli|expires|add_header|add_trailer|etag|map|map_hash|default_type|charset|types|types_hash|server_tokens|open_file_cache|sendfile|tcp_nopush|tcp_nodelay|keepalive|if_modified_since|large_client_header|client_)[a-z_]*\b/
const NGINX_OTHER = /^(?:["'~*\w.+/-]+\s[^;{]*;|[{}]|#|$)/

const commented = (line: string): string => `# ${line}`

/** A line that is left out stays as a comment, so that all others keep their number. */
export const withoutLine = (rules: string, line: number): string =>
  rules
    .split('\n')
    .map((text, index) => (index === line - 1 ? commented(text) : text))
    .join('\n')

const apacheRules = (present: string): UsableRules => {
  const lines = present.split('\n')
  const whole = continued(lines.map((line) => line.replace(/\r$/, '')))
  const reading = whole.findIndex((line) => READS_FILES.test(line))
  if (reading !== -1)
    return {
      kind: 'refused',
      sentence: `Line ${reading + 1} of the present file reads a file of the server, which a rehearsal must not do. Take it out for the rehearsal.`,
    }
  const notUsed: NotUsed[] = []
  const rules = lines.map((line, index) => {
    if (!RUNS_PROGRAMS.test(line)) return line
    notUsed.push({
      line: index + 1,
      text: line.trim().slice(0, 200),
      why: 'It says what runs the programs of the site; the copy has none.',
    })
    return commented(line)
  })
  return { kind: 'usable', rules: rules.join('\n'), notUsed }
}

const nginxRules = (present: string): UsableRules => {
  // Rows of a table have no words of their own; they are only possible within what is allowed.
  let depth = 0
  for (const [index, line] of present.split('\n').entries()) {
    const text = line.trim()
    const allowed = depth > 0 ? NGINX_OTHER.test(text) : text === '' || /^[}#]/.test(text) || NGINX_WORDS.test(text)
    if (!allowed)
      return {
        kind: 'refused',
        sentence: `Line ${index + 1} of the present file (${text.slice(0, 80)}) is none that a rehearsal may carry out: it takes compression, lifetimes, fields and tables. Give the file with these rules alone.`,
      }
    if (!text.startsWith('#')) depth += (text.match(/\{/g) ?? []).length - (text.match(/\}/g) ?? []).length
  }
  return { kind: 'usable', rules: present, notUsed: [] }
}

/** What a rehearsal may carry out of the owner's present file; the owner of a site need not be the owner of this machine. */
export const usableRules = (kind: ServerKind, present: string): UsableRules =>
  kind === 'apache' ? apacheRules(present) : nginxRules(present)
