import { serverOf, type RuleId, type RulesKind, type ServerKind } from '../contracts/server-rules.ts'
import { findBlock } from './marked-block.ts'

/** A rule of somebody else's that does what ours do. */
export interface OlderRule {
  /** Counted from 1. */
  readonly line: number
  readonly text: string
  readonly id: RuleId
}

const PATTERNS: Readonly<Record<ServerKind, readonly (readonly [RuleId, RegExp])[]>> = {
  apache: [
    ['compression', /^(?:AddOutputFilter(?:ByType)?|SetOutputFilter)\b.*\b(?:DEFLATE|BROTLI_COMPRESS)\b/i],
    ['lifetimes', /^Expires(?:ByType|Default)\b/i],
    ['lifetimes', /^Header\b.*\bCache-Control\b/i],
    ['validators', /^FileETag\b/i],
    ['validators', /^Header\s+(?:always\s+)?unset\s+ETag\b/i],
    ['security', /^Header\b.*\b(?:X-Content-Type-Options|Referrer-Policy)\b/i],
    ['https', /^RewriteCond\s+%\{HTTPS\}/i],
    ['preload', /^(?:Header|H2EarlyHint)\b.*\brel=preload\b/i],
    ['storedPages', /^RewriteCond\b.*%\{HTTP_COOKIE\}/i],
  ],
  nginx: [
    ['compression', /^(?:gzip|brotli)\s+on\b/i],
    ['lifetimes', /^expires\s/i],
    ['lifetimes', /^add_header\s+Cache-Control\b/i],
    ['validators', /^etag\s/i],
    ['security', /^add_header\s+(?:X-Content-Type-Options|Referrer-Policy)\b/i],
    ['https', /^return\s+30[1278]\s+https:/i],
    ['preload', /^add_header\s+Link\b.*\brel=preload\b/i],
  ],
}

/** Rules outside our block that do the same as ours: compression twice or two lifetimes would contradict each other. */
export const olderRules = (file: string, kind: RulesKind): OlderRule[] => {
  const found = findBlock(file)
  const [from, to] = found.kind === 'ours' ? found.lines : [0, -1]
  return file.split(/\r?\n/).flatMap((whole, index) => {
    const number = index + 1
    const text = whole.trim()
    if (number >= from && number <= to) return []
    const id = PATTERNS[serverOf(kind)].find(([, pattern]) => pattern.test(text))?.[0]
    return id === undefined ? [] : [{ line: number, text, id }]
  })
}
