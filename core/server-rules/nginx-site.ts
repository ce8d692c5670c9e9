import { keyRules } from '../golive/back-door.ts'
import { dayFile, PAGE_ENDING, PAGE_PATH, PAGES_FOLDER } from './page-file-names.ts'
import { ACCEPTS_PAGES, requestConditions } from './request-conditions.ts'
import { closing, line, type RuleLine, type RuleWriter } from './rule.ts'

/** A text between quotation marks. Backslashes of expressions stay: only those before a quotation mark or another one are taken by nginx. */
const quoted = (text: string): string => `"${text}"`

const PAGE = '$zest_page'

/** Whoever fits this gets no page from the disk. */
const unless = (test: string, why: string): RuleLine => line(`if (${test}) { set ${PAGE} ""; }`, why)

const whereFrom = (address: string): RuleLine[] => {
  const { protocol, hostname } = new URL(address)
  return [
    unless(`$host != ${quoted(hostname)}`, `Under another name than ${hostname},`),
    ...(protocol === 'https:'
      ? [
          line('set $zest_came $scheme$http_x_forwarded_proto;', 'without TLS,'),
          unless(`$zest_came !~ ${quoted('https$')}`, 'also as far as a server in front says so,'),
        ]
      : []),
  ]
}

const storedPages: RuleWriter = ({ remedies: { pageCache } }, { address }) => {
  const is = requestConditions(pageCache)
  return [
    line(
      `set ${PAGE} "/${PAGES_FOLDER}/pages$uri${PAGE_ENDING}";`,
      'The file of a page, by the address that is asked for.',
    ),
    unless(`$request_method !~ ${quoted('^(?:GET|HEAD)$')}`, 'Not for whoever sends something,'),
    ...whereFrom(address),
    unless(`$http_accept !~ ${quoted(ACCEPTS_PAGES)}`, 'takes no pages,'),
    unless('$http_authorization != ""', 'is signed in,'),
    unless(`$http_cookie !~* ${quoted(is.harmlessCookies)}`, 'has other cookies than those that change no page,'),
    unless(`$http_cookie ~* ${quoted(is.ownCookies)}`, 'or one of a visitor’s own,'),
    unless(`$args !~* ${quoted(is.ignoredQuery)}`, 'asks with a query that makes another page,'),
    unless(`$args ~* ${quoted(is.passingQuery)}`, 'or one that passes through,'),
    unless(`$uri ~ ${quoted(is.passingPath)}`, 'for an address that passes through,'),
    unless(`$uri !~ ${quoted(PAGE_PATH)}`, 'or one with unusual signs.'),
    line('set $zest_day "-";', 'The day, by the clock of this server:'),
    line('if ($time_iso8601 ~ "^([0-9-]+)T") { set $zest_day $1; }', 'year, month and day.'),
    unless(
      `!-f $document_root/${dayFile('$zest_day')}`,
      'On a day that Zest Lamp has not marked it has not come by lately.',
    ),
    unless(`!-f $document_root${PAGE}`, 'Where there is no file for the page,'),
    line(`if (${PAGE} != "") { rewrite ^ ${PAGE} last; }`, 'the content system is asked; otherwise the file is sent.'),
    line(`location ^~ /${PAGES_FOLDER}/ {`, 'The files of pages'),
    line('  internal;', 'are not served by their own names: every page has one address;'),
    line('  default_type text/html;', 'they are pages,'),
    line('  charset utf-8;', 'their text is in UTF-8,'),
    line('  expires epoch;', 'and browsers ask each time whether a page is still the same.'),
    closing('}'),
  ]
}

const backDoor: RuleWriter = (_setup, { originKey }) =>
  originKey === null
    ? []
    : [
        line(
          keyRules(originKey).nginx.replaceAll(/\s+/g, ' '),
          'Only requests that bring the secret of Zest Lamp are answered; others get 403 (Forbidden).',
        ),
      ]

const https: RuleWriter = (_setup, { host }) =>
  host === null
    ? []
    : [
        line(
          'set $zest_scheme $scheme$http_x_forwarded_proto;',
          'How a visitor has come, also as far as a server in front says so.',
        ),
        line(
          `if ($zest_scheme !~ "https$") { return 308 https://${host}$request_uri; }`,
          `Who comes without TLS is sent on to https://${host}; forms keep what they hold.`,
        ),
      ]

/** Rules for a file that nginx includes in the server block of one site. */
export const NGINX_SITE_RULES = { backDoor, https, storedPages } as const
