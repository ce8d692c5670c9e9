import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { afterAll, beforeAll, describe, expect, test, vi } from 'vitest'
import type { RehearsalOrder, RehearsalResult, RuleId, RulesKind } from '../../core/contracts/server-rules.ts'
import { Setup } from '../../core/contracts/setup.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { hasApache, hasNginx } from '../testing/web-servers.ts'
import { mayFetch } from './fetch-web-server.ts'
import { rehearse } from './rehearse.ts'

const TEXT = 'The ferry leaves the quay at nine. '.repeat(100)
const PAGE = `<!doctype html><title>Quay</title><link rel=stylesheet href=/look.css><script src=/gallery.box></script>
<script src=/app.js></script><img src=/quay.png><img src=/lamp.png><p>${TEXT}</html>`
const SITE_ANSWERS: Record<string, { type: string; body: string; more?: Record<string, string> }> = {
  '/': { type: 'text/html; charset=utf-8', body: PAGE },
  '/gallery?page=2': {
    type: 'text/html; charset=utf-8',
    body: `${PAGE} two`,
    more: { 'set-cookie': 'seen=2; Path=/' },
  },
  '/look.css': { type: 'text/css', body: `/* ${TEXT} */` },
  '/app.js': { type: 'text/javascript', body: `// ${TEXT}` },
  '/gallery.box': { type: 'text/plain', body: `// ${TEXT}` },
  '/quay.png': { type: 'image/png', body: 'not really a picture' },
}
let origin: Server
let site: Site

const mask = process.umask()

beforeAll(async () => {
  // As control runs: what it writes is its own user's, unless it says otherwise.
  process.umask(0o077)
  origin = createServer((req, res) => {
    const answer = SITE_ANSWERS[req.url ?? '']
    if (answer === undefined) return void res.writeHead(404).end()
    res.writeHead(200, { 'content-type': answer.type, ...answer.more }).end(answer.body)
  })
  await new Promise<void>((resolve) => origin.listen(0, '127.0.0.1', resolve))
  site = {
    address: `http://127.0.0.1:${(origin.address() as AddressInfo).port}`,
    publicAddress: null,
    originKey: null,
    hosts: { added: [], privateAddresses: 'allowed' },
    sample: [
      { id: 'a', path: '/', kind: 'home' },
      { id: 'b', path: '/gallery?page=2', kind: 'gallery' },
    ],
  } as unknown as Site
})
afterAll(() => {
  process.umask(mask)
  return new Promise((resolve) => origin.close(resolve))
})

const run = (
  kind: RulesKind,
  wanted: RuleId[],
  present = '',
  more: Partial<RehearsalOrder['choice']> = {},
): Promise<RehearsalResult> =>
  rehearse(
    site,
    {
      choice: { kind, wanted, host: null, brotli: 'not-there', preloads: [], leftOut: [], ...more },
      present,
      fetching: 'not-allowed',
    },
    Setup.parse({}),
    '/nowhere',
    async () => undefined,
    new AbortController().signal,
  )
const at = (result: RehearsalResult, path: string) => result.addresses.find((one) => one.path === path)!

describe.runIf(hasApache)('rehearsed on Apache', () => {
  test('rules that only compress and keep change fields and bytes, and nothing else', async () => {
    const result = await run('apache', ['compression', 'lifetimes', 'fingerprinted', 'validators'])
    expect(result).toMatchObject({ outcome: 'good', culprits: [], notUsed: [] })
    expect(result.version).toMatch(/^Apache\/2\.4/)
    expect(result.addresses.map(({ path }) => path)).toEqual([
      '/',
      '/gallery?page=2',
      '/look.css',
      '/gallery.box',
      '/app.js',
      '/quay.png',
    ])
    const css = at(result, '/look.css')
    expect(css.after.fields).toMatchObject({ 'content-encoding': 'br', 'content-type': 'text/css' })
    expect(css.after.bytes).toBeLessThan(css.before.bytes / 5)
    expect(css.changed.map(({ field }) => field)).toContain('cache-control')
    // Pages come from the program behind, with the fields it gave them.
    expect(at(result, '/gallery?page=2').after.fields).toMatchObject({
      'set-cookie': 'seen=2; Path=/',
      'content-encoding': 'br',
    })
    expect(at(result, '/').after.fields['cache-control']).toBeUndefined()
  })
  test('files that pages need first are named by pages alone, and break nothing', async () => {
    const result = await run('apache', ['preload'], '', { preloads: ['/look.css'] })
    expect(result).toMatchObject({ outcome: 'good', culprits: [], notUsed: [] })
    expect(at(result, '/').after.fields['link']).toBe('</look.css>; rel=preload; as=style')
    expect(at(result, '/gallery?page=2').changed.map(({ field }) => field)).toContain('link')
    expect(at(result, '/look.css').after.fields['link']).toBeUndefined()
  })
  test('the line that makes browsers refuse a script is found and named; without it nothing breaks', async () => {
    const wanted: RuleId[] = ['compression', 'lifetimes', 'validators', 'security']
    const present = '# rules of the site\nOptions -Indexes\n'
    const result = await run('apache', wanted, present)
    expect(result.outcome).toBe('breaks')
    expect(result.culprits).toEqual([
      {
        rule: 'security',
        line: expect.any(Number),
        text: 'Header always set X-Content-Type-Options "nosniff"',
        sentence:
          'Browsers refuse the script /gallery.box: its type is “text/plain”, and “nosniff” makes them take it for nothing else.',
      },
    ])
    const leftOut = result.culprits.map(({ text }) => text)
    expect(await run('apache', wanted, present, { leftOut })).toMatchObject({ outcome: 'good' })
  })
  test('a page that may be a file is handed out as one, with the same content', async () => {
    const result = await run('apache', ['storedPages'])
    expect(result.outcome).toBe('good')
    expect(at(result, '/').before.fields).not.toHaveProperty('cache-status')
    expect(at(result, '/').after.fields['cache-status']).toContain('zest-files')
    expect(at(result, '/gallery?page=2').after.fields).not.toHaveProperty('cache-status')
  })
  test('who does not bring the secret is refused, and a rule that lets others in all the same is found', async () => {
    Object.assign(site, { originKey: 'a-key_1' })
    try {
      expect((await run('apache', ['backDoor'])).outcome).toBe('good')
      const open = await run('apache', ['backDoor'], '<Files "*">\nRequire all granted\n</Files>\n')
      expect([open.outcome, open.sentence]).toEqual(['breaks', expect.stringContaining('answered all the same')])
    } finally {
      Object.assign(site, { originKey: null })
    }
  })
  test('a present file with lines for modules that are not there is rehearsed without them, which is said', async () => {
    const present =
      'php_value memory_limit 64M\r\n<IfModule mod_rewrite.c>\r\nRewriteEngine On\r\nRewriteCond %{REQUEST_FILENAME} !-f\r\nRewriteRule . /index.php [L]\r\n</IfModule>\r\nAddHandler application/x-httpd-php .php\r\n'
    const result = await run('apache', ['compression'], present)
    expect(result.outcome).toBe('good')
    expect(result.notUsed.map(({ line, text }) => [line, text])).toEqual([
      [7, 'AddHandler application/x-httpd-php .php'],
      [1, 'php_value memory_limit 64M'],
    ])
    expect(at(result, '/').after.status).toBe(200)
  })
  test.each([
    ['<Files "x.css">\nForceType text/plain\n', /present file is refused as it is, in line 1/],
    ['Header set X-Quay 1\n<Location "/x">\n</Location>\n', /present file/],
    ['RewriteEngine On\nRewriteRule ^(.*)$ $1?x [N\n', /line 2/],
  ])('a present file that is broken already is told apart from our rules: %j', async (present, sentence) => {
    const result = await run('apache', ['compression'], present)
    expect(result.outcome).toBe('present-broken')
    expect(result.sentence).toMatch(sentence)
  })
  test('a file that would have files of the server read is not carried out', async () => {
    const result = await run('apache', ['compression'], 'Header set X "expr=%{fi\\\nle:/etc/hostname}"\n')
    expect(result).toMatchObject({ outcome: 'not-possible' })
    expect(result.sentence).toContain('Line 1')
  })
  test('one address for all visitors is rehearsed as a visitor who comes that way, and two rules against each other are found', async () => {
    const to = { host: 'quay.example' }
    expect(await run('apache', ['https'], '', to)).toMatchObject({ outcome: 'good' })
    const back =
      'RewriteEngine On\nRewriteCond %{HTTP:X-Forwarded-Proto} =https\nRewriteRule ^ http://%{HTTP_HOST}%{REQUEST_URI} [R=301,L]\n'
    const result = await run('apache', ['https'], back, to)
    expect(result.outcome).toBe('breaks')
    expect(result.sentence).toContain('they would never arrive')
  })
  test('an older lifetime that ours would switch on for pages is found', async () => {
    const result = await run('apache', ['compression', 'lifetimes'], 'ExpiresDefault "access plus 1 day"\n')
    expect(result.outcome).toBe('breaks')
    expect(result.sentence).toContain('Browsers would keep the page / (max-age=86400)')
    expect(result.culprits.map(({ text }) => text)).toEqual(['ExpiresActive On'])
  })
  test('nothing of the present file reaches other hosts or runs programs', async () => {
    const present = `RewriteEngine On\nRewriteRule ^look\\.css$ ${site.address}/app.js [P]\n<Files "app.js">\nForceType application/x-httpd-cgi\n</Files>\nSetEnv LD_PRELOAD ./quay.png\n`
    const result = await run('apache', ['compression'], present)
    expect(result.notUsed.map(({ line }) => line)).toEqual([2])
    expect(at(result, '/look.css').before).toMatchObject({ status: 200, fields: { 'content-type': 'text/css' } })
    expect(at(result, '/app.js').before.status).toBe(200)
  })
  test('where the real server answers otherwise under the same file, that is said', async () => {
    const result = await run('apache', ['compression'], '<Files "look.css">\nRequire all denied\n</Files>\n')
    expect(result.unlike).toEqual([
      'Your server answers /look.css with status 200, and the rehearsal with 403, both under the present file: it depends on more than this file.',
    ])
  })
  test('a home page that the copy does not answer as the real server does is no rehearsal', async () => {
    const result = await run('apache', ['compression'], '<Files "index.php">\nRequire all denied\n</Files>\n')
    expect(result).toMatchObject({ outcome: 'not-possible', addresses: [] })
    expect(result.sentence).toContain('and the rehearsal with 403')
  })
})
describe.runIf(hasNginx)('rehearsed on nginx', () => {
  test('the same rules, and the same script', async () => {
    expect(await run('nginx', ['compression', 'lifetimes', 'fingerprinted', 'validators'])).toMatchObject({
      outcome: 'good',
      culprits: [],
    })
    const result = await run('nginx', ['compression', 'lifetimes', 'fingerprinted', 'security'])
    expect(result.culprits.map(({ text, line }) => [text, line !== null])).toEqual([
      ['add_header X-Content-Type-Options "nosniff" always;', true],
    ])
  })
  test('the file for one site stands in its server block, with conditions of its own', async () => {
    const stored = await run('nginx-site', ['storedPages'], 'location /old/ { return 410; }\n')
    expect([stored.outcome, at(stored, '/').after.fields['cache-control']]).toEqual(['good', 'no-cache'])
    expect(at(stored, '/gallery?page=2').after.fields).not.toHaveProperty('cache-control')
    expect((await run('nginx-site', ['storedPages'], 'if (-f /etc/hostname) { return 204; }')).outcome).toBe(
      'not-possible',
    )
  })
  test('a present file that does more than answer is not carried out', async () => {
    for (const present of [
      'proxy_pass http://x;',
      'server { listen 1; }',
      'include /etc/passwd;',
      'map $a $b {\n default 1;\n}\nload_module x.so;',
    ])
      expect([present, (await run('nginx', ['compression'], present)).outcome]).toEqual([present, 'not-possible'])
    expect(
      (await run('nginx', ['validators'], 'gzip on;\nmap $uri $quay {\n  default 1;\n  "~x" 2;\n}\n')).outcome,
    ).toBe('good')
  })
})

test.runIf(mayFetch())('A web server that is not on this machine is fetched only where that is allowed', async () => {
  vi.stubEnv('ZEST_NGINX', '/nowhere/nginx')
  try {
    expect(await run('nginx', ['compression'])).toMatchObject({
      outcome: 'no-server',
      sentence: expect.stringMatching(/^nginx is not on this machine\. Zest Lamp can fetch it .*for rehearsals only/),
    })
  } finally {
    vi.unstubAllEnvs()
  }
})
