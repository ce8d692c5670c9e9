import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { nginxStatements } from './nginx-statements.ts'
import type { RulesKind } from '../contracts/server-rules.ts'
import { usableRules } from './usable-rules.ts'

const kindOf = (kind: RulesKind, text: string): string => usableRules(kind, text).kind

describe('a present file of Apache', () => {
  test.each([
    'Header set X "expr=%{file:/etc/hostname}"',
    'Header set X "expr=%{fi\\\nle:/etc/hostname}"',
    '<If "file(\'/etc/hostname\') =~ /x/">',
    'Include /etc/hostname',
    '  IncludeOptional /etc/*.conf',
    '"Include" /etc/hostname',
    'Inc\\\r\nlude /etc/hostname',
    '# a comment\nINCLUDE /etc/hostname',
    '<IfFile "/etc/hostname">',
    '< IfFile "/etc/hostname">',
  ])('is refused where it would have files of the server read: %j', (text) => {
    expect(kindOf('apache', text)).toBe('refused')
  })
  test.each([
    '# Include: see the file: rules.txt',
    '<FilesMatch "\\.css$">\nHeader set X 1\n</FilesMatch>',
    'RewriteCond %{REQUEST_FILENAME} !-f',
    '<IfModule mod_headers.c>\n</IfModule>',
  ])('is used where it does not: %j', (text) => {
    expect(usableRules('apache', text)).toEqual({ kind: 'usable', rules: text, notUsed: [] })
  })
  test('loses what runs the programs of the site, and every other line keeps its number', () => {
    const text = 'AddHandler x .php\nHeader set X 1\n  SetHandler y'
    const used = usableRules('apache', text)
    expect(used).toMatchObject({ kind: 'usable', rules: '# AddHandler x .php\nHeader set X 1\n#   SetHandler y' })
  })
  test.each([
    'RewriteRule ^a http://x/ [P]',
    '"RewriteRule" ^a http://x/ "[L,proxy]"',
    'RewriteRule "^[a ]" "http://x/ y" [ QSA , p ]',
    'RewriteRule ^a proxy:scgi://x/',
    'Rewrite\\\nRule ^a http://x/ [P]',
    'Set\\\nHandler cgi-script',
  ])('loses what hands requests on or runs something, however it is written: %j', (text) => {
    const used = usableRules('apache', text)
    expect(used).toMatchObject({ kind: 'usable', notUsed: [{ line: 1 }] })
    expect(used.kind === 'usable' && used.rules.startsWith('# ')).toBe(true)
  })
  test.each(['RewriteRule ^([^/]+)/p/ index.php?p=$1 [L]', 'RewriteRule ^ https://quay.example/ [R=301,NE]'])(
    'keeps rules that only look like it: %j',
    (text) => expect(usableRules('apache', text)).toMatchObject({ notUsed: [] }),
  )
  test('is read once, however many lines go on in the next', () => {
    expect(kindOf('apache', '\\\n'.repeat(120_000))).toBe('usable')
  })
})
describe('a present file of nginx', () => {
  test.each([
    'gzip on; include /etc/hostname;',
    'gzip on;\n"include" /etc/hostname;',
    'map $a $b {\n  include /etc/hostname;\n}',
    'map $a $b { "incl\\ude" /etc/hostname; }',
    'proxy_pass http://x;',
    'server { listen 1; }',
    'gzip on } include x;',
    'add_header X "not closed;\ninclude /etc/hostname;',
    'load_module x.so',
  ])('is refused where it does more than answer: %j', (text) => {
    expect(kindOf('nginx', text)).toBe('refused')
  })
  test.each([
    'gzip on;\ngzip_types text/css;',
    'map $uri $zest {\n  default 1; # include\n  "~;{include" 2;\n}',
    "add_header X 'a; include b';",
    '',
  ])('is used where it does not: %j', (text) => {
    expect(kindOf('nginx', text)).toBe('usable')
  })
})
describe('a present file of nginx for one site', () => {
  test.each([
    'if (-f /etc/hostname) { return 204; }',
    'if (!-e $document_root/../x) { return 204; }',
    'if (\n  -d /etc ) { return 204; }',
    'location /x { proxy_pass http://x; }',
    'location / { root /etc; }',
    'if ($a) { include /etc/hostname; }',
    '} server { listen 1; }',
  ])('is refused where it does more than answer: %j', (text) => {
    expect(kindOf('nginx-site', text)).toBe('refused')
  })
  test.each([
    'return 301 https://quay.example$request_uri;',
    'if ($host != "quay.example") { return 403; }',
    'location /old/ { rewrite ^ /new/ permanent; }',
    'set $zest 1; gzip on;',
  ])('is used where it does not: %j', (text) => {
    expect(kindOf('nginx-site', text)).toBe('usable')
  })
})
test('statements are the same however they are laid out', () => {
  const word = fc.stringMatching(/^[a-z$~/.]{1,6}$/)
  const statement = fc.array(word, { minLength: 1, maxLength: 3 })
  const space = fc.constantFrom(' ', '\n', '\t\n ', ' # c;{}"\n')
  fc.assert(
    fc.property(fc.array(statement), fc.infiniteStream(space), (statements, spaces) => {
      const next = (): string => spaces.next().value as string
      const text = statements.map((words) => words.map((one) => one + next()).join('') + ';' + next()).join('')
      expect(nginxStatements(text).map(({ words }) => words)).toEqual(statements)
    }),
  )
})
test('statements have their line and how deep they stand', () => {
  expect(nginxStatements('a;\n# b;\nmap $a {\n  x "1 2";\n}\nc d')).toEqual([
    { line: 1, words: ['a'], depth: 0, within: undefined },
    { line: 3, words: ['map', '$a'], depth: 0, within: undefined },
    { line: 4, words: ['x', '1 2'], depth: 1, within: 'map' },
    { line: 6, words: ['c', 'd'], depth: 0, within: undefined },
  ])
})
