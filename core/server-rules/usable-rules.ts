import type { RehearsalResult, RulesKind } from '../contracts/server-rules.ts'
import { nginxStatements, type NginxStatement } from './nginx-statements.ts'

type NotUsed = RehearsalResult['notUsed'][number]

/** A rules file as the rehearsal uses it: every line where it was. */
export type UsableRules =
  | { readonly kind: 'usable'; readonly rules: string; readonly notUsed: readonly NotUsed[] }
  | { readonly kind: 'refused'; readonly sentence: string }

/** Lines as Apache reads them: one that ends in a backslash goes on in the next. Each with the number of its first line, counted from 1. */
const wholeLines = (lines: readonly string[]): { readonly line: number; readonly text: string }[] => {
  const whole: { line: number; text: string }[] = []
  let goesOn = false
  for (const [index, text] of lines.entries()) {
    const last = whole.at(-1)
    if (goesOn && last !== undefined) last.text += text.replace(/\\$/, '')
    else whole.push({ line: index + 1, text: text.replace(/\\$/, '') })
    goesOn = text.endsWith('\\')
  }
  return whole
}

/** Expressions of Apache that read files of the server, which a rehearsal must not do. */
const READS_FILES = /\bfile(?:size|mod)?\s*[(:]/i
/** The same as lines of their own: the check would read what they name, and say so. A name may stand in quotation marks. */
const NAMES_FILES = /^\s*["']?(?:include(?:optional)?\b|<\s*iffile\b)/i
/** Lines that say what runs the programs of a site: the copy has none. */
const RUNS_PROGRAMS = /^\s*["']?(?:(?:AddHandler|SetHandler|Action|Script)\b|AddType\b.*\bphp)/i
const IS_COMMENT = /^\s*#/
/** A word as Apache reads it: in quotation marks, or up to the next white space. */
const WORD = /"(?:[^"\\]|\\.)*"|'(?:[^'\\]|\\.)*'|\S+/g

/** Whether a line hands requests on to another server: RewriteRule with the flag P, or to an address of mod_proxy. */
const handsOn = (text: string): boolean => {
  const [name = '', , to = '', ...flags] = (text.match(WORD) ?? []).map((word) => word.replace(/^["']|["']$/g, ''))
  if (name.toLowerCase() !== 'rewriterule') return false
  return (
    /^proxy:/i.test(to) ||
    flags
      .join(' ')
      .split(/[\s,[\]]+/)
      .some((flag) => /^p(?:roxy)?$/i.test(flag))
  )
}

/** Why a line is not carried out; undefined: it is. */
const whyNotUsed = (text: string): string | undefined => {
  if (RUNS_PROGRAMS.test(text)) return 'It says what runs the programs of the site; the copy has none.'
  return handsOn(text) ? 'It hands requests on to another server, which a rehearsal must not do.' : undefined
}

/** What nginx may be told on the level of `http` without reaching other hosts, files or programs. */
const NGINX_WORDS =
  /^(?:gzip(?:_[a-z_]+)?|brotli(?:_[a-z_]+)?|expires|add_header|add_trailer|etag|map|map_hash_[a-z_]+|default_type|charset|types|types_hash_[a-z_]+|server_tokens|sendfile|tcp_nopush|tcp_nodelay|keepalive_[a-z]+|if_modified_since)$/

/** The same within the server block of a site. */
const NGINX_SITE_WORDS = /^(?:set|if|return|rewrite|break|location|internal)$/
/** Whether a condition asks for files of the server, which would say whether they are there. */
const TESTS_FILES = /^\(?!?-[fdex]/

const isForSite = ([name = '', ...more]: readonly string[]): boolean =>
  (NGINX_WORDS.test(name) || NGINX_SITE_WORDS.test(name)) && !more.some((word) => TESTS_FILES.test(word))

const commented = (line: string): string => `# ${line}`

/** A line that is left out stays as a comment, so that all others keep their number. */
export const withoutLine = (rules: string, line: number): string =>
  rules
    .split('\n')
    .map((text, index) => (index === line - 1 ? commented(text) : text))
    .join('\n')

const apacheRules = (present: string): UsableRules => {
  const lines = present.split('\n')
  const whole = wholeLines(lines.map((line) => line.replace(/\r$/, '')))
  const reading = whole.find(({ text }) => !IS_COMMENT.test(text) && (READS_FILES.test(text) || NAMES_FILES.test(text)))
  if (reading !== undefined)
    return {
      kind: 'refused',
      sentence: `Line ${reading.line} of the present file reads a file of the server, which a rehearsal must not do. Take it out for the rehearsal.`,
    }
  const notUsed = whole.flatMap(({ line, text }): NotUsed[] => {
    const why = IS_COMMENT.test(text) ? undefined : whyNotUsed(text)
    return why === undefined ? [] : [{ line, text: text.trim().slice(0, 200), why }]
  })
  // A comment goes on behind a backslash too, so that the first line takes the rest with it.
  const out = new Set(notUsed.map(({ line }) => line))
  const rules = lines.map((line, index) => (out.has(index + 1) ? commented(line) : line)).join('\n')
  return { kind: 'usable', rules, notUsed }
}

const isUsable = (kind: RulesKind, { words, depth, within }: NginxStatement): boolean => {
  const [name = ''] = words
  // Rows of a table have no words of their own; they are only possible within what is allowed.
  if (within === 'map' || within === 'types') return name !== 'include'
  if (kind === 'nginx-site') return isForSite(words)
  return depth === 0 ? NGINX_WORDS.test(name) : name !== 'include'
}

const nginxRules = (kind: RulesKind, present: string): UsableRules => {
  for (const statement of nginxStatements(present)) {
    const { line, words } = statement
    if (isUsable(kind, statement)) continue
    return {
      kind: 'refused',
      sentence: `Line ${line} of the present file (${words.join(' ').slice(0, 80)}) is none that a rehearsal may carry out: it takes compression, lifetimes, fields and tables. Give the file with these rules alone.`,
    }
  }
  return { kind: 'usable', rules: present, notUsed: [] }
}

/** What a rehearsal may carry out of the owner's present file; the owner of a site need not be the owner of this machine. */
export const usableRules = (kind: RulesKind, present: string): UsableRules =>
  kind === 'apache' ? apacheRules(present) : nginxRules(kind, present)
