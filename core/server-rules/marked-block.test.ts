import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { crc32 } from './crc32.ts'
import { findBlock, withBlock, withoutBlock } from './marked-block.ts'
import { olderRules } from './older-rules.ts'

const RULES = '# Compression\n<IfModule mod_deflate.c>\n  AddOutputFilterByType DEFLATE text/html\n</IfModule>'
/** Files as hosts have them: either line ending, with a byte order mark or none, with a last line that ends or does not. */
const aFile = fc
  .record({
    lines: fc.array(fc.stringMatching(/^[ -~]{0,40}$/), { maxLength: 12 }),
    ending: fc.constantFrom('\n', '\r\n'),
    mark: fc.constantFrom('', '\uFEFF'),
    ends: fc.boolean(),
  })
  .map(({ lines, ending, mark, ends }) => mark + lines.join(ending) + (ends ? ending : ''))
  .filter((file) => findBlock(file).kind === 'none')

describe('our block in a rules file', () => {
  test('put in and taken out again leaves every byte as it was', () => {
    fc.assert(fc.property(aFile, (file) => void expect(withoutBlock(withBlock(file, RULES))).toBe(file)))
  })
  test('is read back as it was written, and changes nothing outside', () => {
    fc.assert(
      fc.property(aFile, (file) => {
        const there = withBlock(file, RULES)
        expect(findBlock(there)).toMatchObject({ kind: 'ours', rules: RULES, changedByHand: false })
        expect(there.endsWith(file.replace(/^\uFEFF/, ''))).toBe(true)
        expect(there.startsWith('\uFEFF')).toBe(file.startsWith('\uFEFF'))
      }),
    )
  })
  test('written again with other rules, it stays where it is', () => {
    fc.assert(
      fc.property(aFile, aFile, (before, after) => {
        const tail = after.replace(/^\uFEFF/, '')
        const around = withBlock(tail, RULES)
        const head = before === '' || before.endsWith('\n') ? before : `${before}\n`
        const file = head + around
        const again = withBlock(file, 'FileETag None')
        expect(findBlock(again)).toMatchObject({ kind: 'ours', rules: 'FileETag None' })
        expect(again.startsWith(head) && again.endsWith(tail)).toBe(true)
        expect(withoutBlock(file)).toBe(head + tail)
      }),
    )
  })
  test('that was changed by hand is noticed', () => {
    const changed = withBlock('', RULES).replace('text/html', 'text/html text/css')
    expect(findBlock(changed)).toMatchObject({ kind: 'ours', changedByHand: true, lines: [1, 6] })
  })
  test('twice, or half of it, is left alone, with what to do', () => {
    const twice = withBlock('', RULES) + withBlock('', RULES)
    expect(findBlock(twice)).toMatchObject({ kind: 'unclear', why: expect.stringContaining('two blocks') })
    const half = withBlock('', RULES).replace('# Zest Lamp: rules end', '')
    expect(findBlock(half)).toMatchObject({ kind: 'unclear', why: expect.stringContaining('missing') })
    for (const file of [twice, half]) expect(() => withBlock(file, RULES)).toThrow('by hand')
    for (const file of [twice, half]) expect(() => withoutBlock(file)).toThrow('by hand')
  })
  test('checksums are those of ISO/IEC 3309 (check value of the catalogue of CRC algorithms, from memory)', () => {
    expect(crc32('123456789')).toBe('cbf43926')
  })
})

describe('older rules that do the same', () => {
  const HTACCESS = `# by the host
<IfModule mod_deflate.c>
  AddOutputFilterByType DEFLATE text/html
</IfModule>
ExpiresByType image/png "access plus 1 month"
Header set Cache-Control "no-cache"
RewriteCond %{HTTPS} off
RewriteRule ^index\\.php$ - [L]`
  test('are found with their lines, but for our own', () => {
    const found = (file: string) => olderRules(file, 'apache').map(({ line, id }) => [line, id])
    const all = [
      [3, 'compression'],
      [5, 'lifetimes'],
      [6, 'lifetimes'],
      [7, 'https'],
    ]
    expect(found(HTACCESS)).toEqual(all)
    expect(found(withBlock(HTACCESS, RULES))).toEqual(all.map(([line, id]) => [Number(line) + 6, id]))
  })
  test('of the other server are its own', () => {
    const nginx =
      'gzip on;\nexpires 30d;\nadd_header Cache-Control public;\netag off;\nreturn 301 https://$host$request_uri;'
    expect(olderRules(nginx, 'nginx').map(({ id }) => id)).toEqual([
      'compression',
      'lifetimes',
      'lifetimes',
      'validators',
      'https',
    ])
    expect(olderRules('# gzip on;\ngzip off;', 'nginx')).toEqual([])
  })
})
