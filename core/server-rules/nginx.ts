import { durationInWords } from '../catalogue/setting-sentences.ts'
import { preloadLink } from './preload-link.ts'
import {
  closing,
  ENDINGS_BY_SETTING,
  FINGERPRINTED,
  FOR_GOOD,
  hostExpression,
  line,
  TEXT_TYPES,
  TYPES_BY_SETTING,
  type RuleLine,
  type RuleWriter,
} from './rule.ts'

/** HTML is always among the types that are compressed; naming it again is a warning. */
const TYPES = TEXT_TYPES.filter((type) => type !== 'text/html').join(' ')

const compression: RuleWriter = ({ remedies: { compression: set } }, { brotli }) => {
  if (!set.enabled) return []
  const gzip = [
    line('gzip on;', 'Sends text compressed with gzip to browsers that take it.'),
    line(`gzip_types ${TYPES};`, 'Besides HTML, these types are compressed.'),
    line(`gzip_min_length ${set.leastBytes};`, `Files under ${set.leastBytes} bytes are sent as they are.`),
    line('gzip_proxied any;', 'Also for visitors who come by way of Zest Lamp or another proxy.'),
    line('gzip_vary on;', 'Caches keep compressed and plain copies apart (Vary).'),
  ]
  const better = [
    line('brotli on;', 'Sends text compressed with Brotli to browsers that take it.'),
    line(`brotli_types ${TYPES};`, 'Besides HTML, these types are compressed with Brotli.'),
    line(`brotli_min_length ${set.leastBytes};`, `Files under ${set.leastBytes} bytes are sent as they are.`),
  ]
  return [...(set.gzip ? gzip : []), ...(set.brotli && brotli === 'there' ? better : [])]
}

const map = (head: string, why: string, rows: readonly RuleLine[]): RuleLine[] => [
  line(`map ${head} {`, why),
  ...rows.map((row) => ({ ...row, text: `  ${row.text}` })),
  closing('}'),
]

const lifetimes: RuleWriter = ({ remedies: { browserCache: set } }) => {
  if (!set.enabled) return []
  const byType = (Object.keys(TYPES_BY_SETTING) as (keyof typeof TYPES_BY_SETTING)[]).flatMap((setting) =>
    TYPES_BY_SETTING[setting].map((type) =>
      line(
        `"~*^${type.replace('+', '\\+')}" ${set[setting]}s;`,
        `Browsers keep ${type} for ${durationInWords(set[setting])}.`,
      ),
    ),
  )
  const byName = (Object.keys(ENDINGS_BY_SETTING) as (keyof typeof ENDINGS_BY_SETTING)[]).map((setting) =>
    line(
      `"~*\\.(${ENDINGS_BY_SETTING[setting].join('|')})$" ${set[setting]}s;`,
      `${ENDINGS_BY_SETTING[setting].map((ending) => `.${ending}`).join(', ')}: ${durationInWords(set[setting])}.`,
    ),
  )
  const always = set.fingerprinted ? fingerprintedNames() : []
  return [
    ...always,
    ...map('$uri $zest_expires_by_name', 'How long browsers keep a file, by its name, where its type is not known:', [
      line('default off;', 'Of other names, nothing is said.'),
      ...byName,
    ]),
    ...map('$sent_http_content_type $zest_expires_by_type', 'How long browsers keep a file, by its type.', [
      line('default off;', 'Of other types, nothing is said.'),
      line('"" $zest_expires_by_name;', 'An answer without content names no type: a copy that still holds (304).'),
      line('application/octet-stream $zest_expires_by_name;', 'nginx has no type for the name.'),
      ...byType,
    ]),
    ...(set.fingerprinted
      ? map('$zest_fingerprinted $zest_expires', 'Names that hold a digest have a lifetime of their own below.', [
          line('1 off;', 'Those,'),
          line('default $zest_expires_by_type;', 'and all others by their type.'),
        ])
      : []),
    line(
      `expires ${set.fingerprinted ? '$zest_expires' : '$zest_expires_by_type'};`,
      'Sends Cache-Control with that lifetime.',
    ),
  ]
}

const fingerprintedNames = (): RuleLine[] =>
  map('$uri $zest_fingerprinted', 'Files whose name holds a digest of their content.', [
    line(`"~${FINGERPRINTED}" 1;`, 'Hexadecimal digits, at least eight.'),
    line('default 0;', 'All other files.'),
  ])

const fingerprinted: RuleWriter = ({ remedies: { browserCache: set } }) =>
  set.enabled && set.fingerprinted
    ? [
        ...map('$zest_fingerprinted $zest_for_good', 'What is said of them.', [
          line(
            `1 "${FOR_GOOD}";`,
            'Browsers keep them for a year and never ask again: other content has another name.',
          ),
          line('default "";', 'Of other files nothing is said here.'),
        ]),
        line('add_header Cache-Control $zest_for_good;', 'Sends it; where it is empty, nothing.'),
      ]
    : []

const validators: RuleWriter = () => [
  line('etag on;', 'Files have an entity tag, so that a browser can ask whether its copy still holds.'),
]

const security: RuleWriter = () => [
  line(
    'add_header X-Content-Type-Options "nosniff" always;',
    'Browsers take files for what they are said to be, and for nothing else.',
  ),
  line(
    'add_header Referrer-Policy "strict-origin-when-cross-origin" always;',
    'Other sites learn the name of yours, not the address of the page.',
  ),
]

/** For this host alone: a file for all sites is read for the others too. */
const preload: RuleWriter = (_setup, { preloads, address }) =>
  preloads.length === 0
    ? []
    : [
        ...map('"$host $sent_http_content_type" $zest_preload', 'What pages of this site need first.', [
          line('default "";', 'Of all else nothing is said.'),
          line(
            `"~*^${hostExpression(address)} text/html" "${preloads.map(preloadLink).join(', ')}";`,
            'Browsers load these files as soon as a page begins to arrive.',
          ),
        ]),
        line('add_header Link $zest_preload;', 'Sends it; where it is empty, nothing.'),
      ]

/** Rules for a file that nginx includes on the level of `http`. */
export const NGINX_RULES = { compression, lifetimes, fingerprinted, validators, security, preload } as const
