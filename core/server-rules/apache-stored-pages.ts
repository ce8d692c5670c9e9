import { dayFile, PAGE_ENDING, PAGE_PATH, PAGES_FOLDER } from './page-file-names.ts'
import { ACCEPTS_PAGES, requestConditions } from './request-conditions.ts'
import { closing, hostExpression, ifModule, line, type RuleLine, type RuleWriter } from './rule.ts'

const ROOT = '%{DOCUMENT_ROOT}/'
const FILE = `${PAGES_FOLDER}/pages%{REQUEST_URI}${PAGE_ENDING}`

/** Who asks by which name and scheme: others are sent on by other rules, or get nothing of this site. */
const whereFrom = (address: string): RuleLine[] => {
  const { protocol, hostname } = new URL(address)
  return [
    line(`RewriteCond %{HTTP_HOST} ^${hostExpression(address)}(?::\\d+)?$ [NC]`, `under the name ${hostname},`),
    ...(protocol === 'https:'
      ? [
          line('RewriteCond %{HTTPS} =on [OR]', 'over TLS,'),
          line('RewriteCond %{HTTP:X-Forwarded-Proto} =https', 'also as far as a server in front says so,'),
        ]
      : []),
  ]
}

/** Pages from the disk, for whoever would share them in the store of delivery too. */
export const apacheStoredPages: RuleWriter = ({ remedies: { pageCache } }, { address }) => {
  const is = requestConditions(pageCache)
  return [
    ...ifModule('mod_rewrite.c', [
      line('RewriteEngine On', 'Addresses may be answered from files.'),
      line('RewriteCond %{ENV:REDIRECT_STATUS} ^$', 'By their own names, the files of pages'),
      line(`RewriteRule ^${PAGES_FOLDER}(?:/|$) - [R=404,L]`, 'are not served: every page has one address.'),
      line('RewriteCond %{REQUEST_METHOD} ^(?:GET|HEAD)$', 'Who only reads,'),
      ...whereFrom(address),
      line(`RewriteCond %{HTTP_ACCEPT} ${ACCEPTS_PAGES}`, 'who takes pages,'),
      line('RewriteCond %{HTTP:Authorization} ^$', 'who is not signed in,'),
      line(`RewriteCond %{HTTP_COOKIE} ${is.harmlessCookies} [NC]`, 'has no cookies but those that change no page,'),
      line(`RewriteCond %{HTTP_COOKIE} !${is.ownCookies} [NC]`, 'and none of a visitor’s own,'),
      line(`RewriteCond %{QUERY_STRING} ${is.ignoredQuery} [NC]`, 'with no query but one that makes no other page,'),
      line(`RewriteCond %{QUERY_STRING} !${is.passingQuery} [NC]`, 'and none that passes through,'),
      line(`RewriteCond %{REQUEST_URI} !${is.passingPath}`, 'for an address that does not pass through,'),
      line(`RewriteCond %{REQUEST_URI} ${PAGE_PATH}`, 'of letters, digits and few other signs,'),
      line(
        `RewriteCond ${ROOT}${dayFile('%{TIME_YEAR}-%{TIME_MON}-%{TIME_DAY}')} -f`,
        'on a day that Zest Lamp has marked as valid,',
      ),
      line(`RewriteCond ${ROOT}${FILE} -f`, 'where there is a file for the page,'),
      line(`RewriteRule ^ /${FILE} [END,T=text/html]`, 'that file is sent, and the content system is not asked.'),
    ]),
    line(`<FilesMatch "${PAGE_ENDING.replace('.', String.raw`\.`)}$">`, 'The files of pages:'),
    line('  AddDefaultCharset UTF-8', 'their text is in UTF-8,'),
    ...ifModule('mod_headers.c', [
      line('Header set Cache-Control "no-cache"', 'browsers ask each time whether a page is still the same,'),
      line('Header set Cache-Status "zest-files; hit"', 'and it can be seen where it came from (RFC 9211).'),
    ]).map((one) => ({ ...one, text: `  ${one.text}` })),
    closing('</FilesMatch>'),
  ]
}
