import { keyRules } from '../golive/back-door.ts'
import type { RuleId } from '../contracts/server-rules.ts'
import { durationInWords } from '../catalogue/setting-sentences.ts'
import { apacheStoredPages } from './apache-stored-pages.ts'
import { preloadLink } from './preload-link.ts'
import {
  closing,
  FINGERPRINTED,
  FOR_GOOD,
  ifModule,
  line,
  TEXT_TYPES,
  TYPES_BY_SETTING,
  within,
  type RuleLine,
  type RuleWriter,
} from './rule.ts'

const TYPES = TEXT_TYPES.join(' ')

/** The entity tag of a compressed file is another than the file's, and is not known again by itself. */
const knownAgain = ifModule('mod_headers.c', [
  line(
    String.raw`RequestHeader edit "If-None-Match" "^(W/)?\"(.+)-(gzip|br)\"$" "$1\"$2-$3\", \"$2\""`,
    'A compressed file that has not changed is answered with 304, without its bytes.',
  ),
])

const compression: RuleWriter = ({ remedies: { compression: set } }) => {
  if (!set.enabled || (!set.brotli && !set.gzip)) return []
  const gzip = line(
    `AddOutputFilterByType DEFLATE ${TYPES}`,
    'Sends text compressed with gzip to browsers that take it.',
  )
  // A filter leaves alone what the one before it has compressed.
  const both = line(
    `AddOutputFilterByType BROTLI_COMPRESS;DEFLATE ${TYPES}`,
    'Sends text compressed with Brotli to browsers that take it, and with gzip to the others.',
  )
  const brotli = line(
    `AddOutputFilterByType BROTLI_COMPRESS ${TYPES}`,
    'Sends text compressed with Brotli to browsers that take it.',
  )
  const without = ifModule('mod_deflate.c', set.gzip ? [gzip] : [])
  if (!set.brotli) return [...ifModule('mod_filter.c', without), ...knownAgain]
  return [
    ...ifModule('mod_filter.c', [
      ...ifModule(
        'mod_brotli.c',
        set.gzip ? [...ifModule('mod_deflate.c', [both]), ...ifModule('!mod_deflate.c', [brotli])] : [brotli],
      ),
      ...ifModule('!mod_brotli.c', without),
    ]),
    ...knownAgain,
  ]
}

const lifetimes: RuleWriter = ({ remedies: { browserCache: set } }) => {
  if (!set.enabled) return []
  const byType = (Object.keys(TYPES_BY_SETTING) as (keyof typeof TYPES_BY_SETTING)[]).flatMap((setting) =>
    TYPES_BY_SETTING[setting].map((type) =>
      line(
        `ExpiresByType ${type} "access plus ${set[setting]} seconds"`,
        `Browsers keep ${type} for ${durationInWords(set[setting])}.`,
      ),
    ),
  )
  return ifModule('mod_expires.c', [
    line('ExpiresActive On', 'Sends Cache-Control with a lifetime for the types below.'),
    ...byType,
  ])
}

const fingerprinted: RuleWriter = ({ remedies: { browserCache: set } }) =>
  set.enabled && set.fingerprinted
    ? ifModule('mod_headers.c', [
        line(`<FilesMatch "${FINGERPRINTED}">`, 'Files whose name holds a digest of their content.'),
        line(
          `  Header set Cache-Control "${FOR_GOOD}"`,
          'Browsers keep them for a year and never ask again: other content has another name.',
        ),
        closing('</FilesMatch>'),
      ])
    : []

const validators: RuleWriter = () => [
  line(
    'FileETag MTime Size',
    'The entity tag of a file is the same on all servers that hold it; by default it may not be.',
  ),
]

const security: RuleWriter = () =>
  ifModule('mod_headers.c', [
    line(
      'Header always set X-Content-Type-Options "nosniff"',
      'Browsers take files for what they are said to be, and for nothing else.',
    ),
    line(
      'Header always set Referrer-Policy "strict-origin-when-cross-origin"',
      'Other sites learn the name of yours, not the address of the page.',
    ),
  ])

const https: RuleWriter = (_setup, { host }) =>
  host === null
    ? []
    : ifModule('mod_rewrite.c', [
        line('RewriteEngine On', 'Addresses may be sent on.'),
        line('RewriteCond %{HTTPS} !=on', 'For visitors who come without TLS,'),
        line('RewriteCond %{HTTP:X-Forwarded-Proto} !=https', 'also as far as a server in front says so,'),
        line(
          `RewriteRule ^ https://${host}%{REQUEST_URI} [R=308,L]`,
          `the address is sent on to https://${host}; forms keep what they hold.`,
        ),
      ])

const backDoor: RuleWriter = (_setup, { originKey }) =>
  originKey === null
    ? []
    : ifModule('mod_authz_core.c', [
        line(
          keyRules(originKey).apache,
          'Only requests that bring the secret of Zest Lamp are answered; others get 403 (Forbidden).',
        ),
      ])

/**
 * Early hints (RFC 8297) for pages that browsers open, before the server begins to make them.
 * A rules file may name them where the server knows how and its main configuration has them on; elsewhere nothing happens.
 */
const earlyHints = (preloads: readonly string[]): readonly RuleLine[] =>
  preloads.length === 0
    ? []
    : ifModule(
        'mod_version.c',
        within('<IfVersion >= 2.4.34>', 'Older servers cannot be asked what they know.', [
          ...within('<IfDirective H2EarlyHint>', 'Only where the server knows early hints.', [
            // As asked for without a trace: "Vary" would have caches keep a page for each kind of request.
            ...within(
              `<If "req_novary('Sec-Fetch-Mode') == 'navigate'">`,
              'Only when a browser opens a page: it uses hints for nothing else.',
              preloads.map((path) =>
                line(
                  `H2EarlyHint Link "${preloadLink(path)}"`,
                  `Over HTTP/2, browsers load ${path} while the server still makes the page, where its main configuration says “H2EarlyHints on”.`,
                ),
              ),
            ),
          ]),
        ]),
      )

const preload: RuleWriter = (_setup, { preloads }) => [
  ...ifModule(
    'mod_headers.c',
    preloads.map((path) =>
      line(
        `Header add Link "${preloadLink(path).replaceAll('%', '%%')}" "expr=%{CONTENT_TYPE} =~ m#^text/html#"`,
        `Browsers load ${path} as soon as a page begins to arrive.`,
      ),
    ),
  ),
  ...earlyHints(preloads),
]

/** Rules for a rules file of Apache (`.htaccess`), each guarded by the module it needs. */
export const APACHE_RULES: Readonly<Record<RuleId, RuleWriter>> = {
  compression,
  lifetimes,
  fingerprinted,
  validators,
  security,
  https,
  backDoor,
  preload,
  storedPages: apacheStoredPages,
}
