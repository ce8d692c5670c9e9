import type { RulesChoice } from '../contracts/server-rules.ts'
import type { Setup } from '../contracts/setup.ts'
import type { Site } from '../contracts/sites.ts'

/** One line of rules, and what it does, in a sentence; lines that only close another have none. */
export interface RuleLine {
  readonly text: string
  readonly why: string | null
}

/** What is known of the site, whatever the owner chooses. */
export interface SiteFacts {
  /** Origin of the addresses that visitors ask for, such as "https://www.example.org". */
  readonly address: string
  /** The secret by which the server knows Zest Lamp; null: none is sent. */
  readonly originKey: string | null
}

export const siteFactsOf = ({
  address,
  publicAddress,
  originKey,
}: Pick<Site, 'address' | 'publicAddress' | 'originKey'>): SiteFacts => ({
  address: publicAddress ?? address,
  originKey,
})

/** The host name of an address as a regular expression. */
export const hostExpression = (address: string): string =>
  new URL(address).hostname.replaceAll(/[.[\]]/g, String.raw`\$&`)

/** What rules are made from, besides the setup. */
export interface ServerFacts extends Pick<RulesChoice, 'host' | 'brotli' | 'preloads'>, SiteFacts {}

/** Writes one kind of rules for one kind of server; no lines: there is nothing to say. */
export type RuleWriter = (setup: Setup, facts: ServerFacts) => readonly RuleLine[]

export const line = (text: string, why: string): RuleLine => ({ text, why })
export const closing = (text: string): RuleLine => ({ text, why: null })

/** Lines within a section of Apache's configuration. @param opening such as `<IfModule mod_headers.c>` @param why when they hold */
export const within = (opening: string, why: string, lines: readonly RuleLine[]): readonly RuleLine[] => [
  line(opening, why),
  ...lines.map((one) => ({ text: `  ${one.text}`, why: one.why })),
  closing(`</${/\w+/.exec(opening)?.[0] ?? ''}>`),
]

/** Lines that hold only where a module of Apache is there: without it the file is still read, and the site answers as before. */
export const ifModule = (name: string, lines: readonly RuleLine[]): readonly RuleLine[] =>
  lines.length === 0
    ? []
    : within(`<IfModule ${name}>`, `Only where the server has ${name.replace('!', 'no ').replace(/\.c$/, '')}.`, lines)

/** Types that compression makes smaller (RFC 6838 names; common practice). */
export const TEXT_TYPES = [
  'text/html',
  'text/css',
  'text/plain',
  'text/xml',
  'text/javascript',
  'application/javascript',
  'application/json',
  'application/ld+json',
  'application/manifest+json',
  'application/xml',
  'application/rss+xml',
  'application/atom+xml',
  'image/svg+xml',
  'font/ttf',
  'font/otf',
] as const

/** Types by the setting that says how long browsers keep them. */
export const TYPES_BY_SETTING = {
  styleS: ['text/css'],
  scriptS: ['text/javascript', 'application/javascript'],
  imageS: ['image/avif', 'image/webp', 'image/jpeg', 'image/png', 'image/gif', 'image/svg+xml', 'image/x-icon'],
  fontS: ['font/woff2', 'font/woff', 'font/ttf', 'font/otf'],
  mediaS: ['video/mp4', 'video/webm', 'audio/mpeg', 'audio/ogg'],
} as const

/** Endings of names of files of those types, for where a server says no type: it knows none, or the answer has no content. */
export const ENDINGS_BY_SETTING = {
  styleS: ['css'],
  scriptS: ['js', 'mjs'],
  imageS: ['avif', 'webp', 'jpg', 'jpeg', 'png', 'gif', 'svg', 'ico'],
  fontS: ['woff2', 'woff', 'ttf', 'otf'],
  mediaS: ['mp4', 'webm', 'mp3', 'ogg'],
} as const satisfies Record<keyof typeof TYPES_BY_SETTING, readonly string[]>

/** Names that hold a digest of the content, as `core/http/fingerprint.ts` knows them, as a regular expression both servers read (PCRE). */
export const FINGERPRINTED = String.raw`[._-](?=[0-9a-f]*[0-9])(?=[0-9]*[a-f])[0-9a-f]{8,64}\.[0-9A-Za-z.]{1,12}$`
export const FOR_GOOD = 'public, max-age=31536000, immutable'
