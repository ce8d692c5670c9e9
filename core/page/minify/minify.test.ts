import { minify as csso } from 'csso'
import { generate, parse, walk, type CssNode, type List, type ListItem } from 'css-tree'
import fc from 'fast-check'
import { minify as htmlMinifier } from 'html-minifier-terser'
import sharp from 'sharp'
import { minify as terser } from 'terser'
import { describe, expect, test } from 'vitest'
import { REAL_PAGES, REAL_SCRIPTS, REAL_SHEETS } from '../../../delivery/testing/real-files.ts'
import { minifyJson, minifySvg } from './data.ts'
import { minifyPage, pageMeaning } from './page.ts'
import { minifyScript } from './script.ts'
import { minifyStyle } from './style.ts'

const EVERYTHING = { inline: true, json: true }
const minified = async (html: string): Promise<string> => {
  const result = await minifyPage(html, EVERYTHING)
  return result.kind === 'minified' ? result.html : html
}

/** The parse tree without comments, as a text (CSS Syntax 3 §9, by css-tree). */
const treeOf = (text: string): string => {
  const tree = parse(text, { parseCustomProperty: false })
  walk(tree, {
    enter(node: CssNode, item: ListItem<CssNode>, list: List<CssNode>) {
      if (node.type === 'Comment') list.remove(item)
    },
  })
  return generate(tree)
}

describe('pages', () => {
  test.each(REAL_PAGES)('$name means the same after it was minified', async ({ text }) => {
    expect(pageMeaning(await minified(text))).toBe(pageMeaning(text))
  })
  test.each(REAL_PAGES.filter(({ text }) => text.length > 5000))(
    '$name is within 3 % of what the minifier reaches alone',
    async ({ text }) => {
      const alone = await htmlMinifier(text, {
        collapseWhitespace: true,
        conservativeCollapse: true,
        removeComments: true,
        removeAttributeQuotes: true,
        collapseBooleanAttributes: true,
        caseSensitive: true,
        keepClosingSlash: true,
        minifyCSS: true,
        minifyJS: true,
      })
      expect((await minified(text)).length).toBeLessThanOrEqual(alone.length * 1.03)
    },
  )
  test.each([
    ['preformatted text', '<pre>\n  a   b\n\tc  </pre>'],
    ['what a visitor typed', '<textarea>\n a\n\n  b </textarea>'],
    ['conditional comments', '<!--[if lt IE 9]><script src="/old.js"></script><![endif]--><p>x</p>'],
    ['licences', '<!--! (c) the ferry company --><p>x</p>'],
    ['fragments', '<p>x</p><esi:include src="/part"/>'],
    ['fragments in comments', '<!--esi <esi:include src="/part"/> --><p>x</p>'],
    ['spaces between words and pictures', '<p><b>a</b> <i>b</i> <img src=x> c</p>'],
    ['templates', '<template> <b> a </b> </template>'],
    ['data blocks of other kinds', '<script type="text/x-thing">  a\n  b  </script>'],
    ['escaped text', '<p title="&quot;a&quot; &amp; b">&lt;b&gt; &nbsp; </p>'],
  ])('%s stay', async (_why, body) => {
    const html = `<!doctype html><html><head><title>x</title></head><body>   ${body}   </body></html>`
    const made = await minified(html)
    expect(pageMeaning(made)).toBe(pageMeaning(html))
    expect(made).toContain(body.replace('src=x', 'src=x'))
  })
  test('data inside a page loses its white space and nothing else', async () => {
    const html =
      '<p>x</p><script type="application/ld+json">{ "price": 12345678901234567890.50, "name": "a  b" }</script>'
    expect(await minified(html)).toContain('{"price":12345678901234567890.50,"name":"a  b"}')
  })
  test.each([
    ['unclosed elements', '<p>a<p>b<li>c<td>d'],
    ['elements that cross', '<b><i>a</b></i>'],
    ['tables with strays', '<table>stray<tr><td>x</table>'],
    ['quotes that never end', '<p title="a><b>x</b>'],
    ['nested forms', '<form><form><input></form></form>'],
    ['scripts that hold tags', '<script>if (a</b>) "<p>"</script>'],
    ['nothing', ''],
    ['tags in capitals', '<P CLASS=A>x<BR>y</P>'],
  ])('malformed: %s', async (_why, html) => {
    expect(pageMeaning(await minified(html))).toBe(pageMeaning(html))
  })
  test('whatever is thrown at it', async () => {
    const piece = fc.oneof(
      fc.constantFrom(
        '<p>',
        '</p>',
        '<b class="x y">',
        '</b>',
        '<pre>',
        '</pre>',
        '<table>',
        '<td>',
        '</table>',
        '<!-- c -->',
        '<img src=a/>',
        '<br>',
        '<textarea>',
        '</textarea>',
        '<script>a &&\n b</script>',
        '<style>.a { b : c }</style>',
        '<a href=x',
        '>',
        '&amp;',
        '<select><option>',
        '</select>',
        '<svg><path d="M0 0"/></svg>',
        '<template>',
        '</template>',
      ),
      fc.string({ maxLength: 8 }),
      fc.constantFrom(' ', '\n\n', '  \t '),
    )
    await fc.assert(
      fc.asyncProperty(fc.array(piece, { maxLength: 14 }), async (pieces) => {
        const html = pieces.join('')
        expect(pageMeaning(await minified(html))).toBe(pageMeaning(html))
      }),
      { numRuns: 150 },
    )
  })
})

describe('style sheets', () => {
  test.each(REAL_SHEETS)('$name has the same parse tree (css-tree)', ({ text }) => {
    expect(treeOf(minifyStyle(text))).toBe(treeOf(text))
  })
  test.each(REAL_SHEETS)('$name is within 3 % of what csso reaches without moving rules', ({ text }) => {
    expect(minifyStyle(text).length).toBeLessThanOrEqual(
      csso(text, { restructure: false, comments: 'exclamation' }).css.length * 1.03,
    )
  })
  test.each([
    ['nesting', '.a { & > .b { c : d } }', '.a{&>.b{c:d}}'],
    ['a fix for browsers of long ago', '.a { color: red; *zoom: 1 }', '.a{color:red;*zoom:1}'],
    [
      'layers and containers',
      '@layer a , b; @container (width > 3px) { .a { b: c } }',
      '@layer a,b;@container (width>3px){.a{b:c}}',
    ],
    ['custom properties, whose white space is theirs', ':root { --a:  1px  2px }', ':root{--a:  1px  2px }'],
    ['calculations keep the spaces they need', '.a { width: calc( 1px + 2px ) }', '.a{width:calc(1px + 2px)}'],
    ['licences', '/*! (c) */ /* note */ .a { b: c }', '/*! (c) */.a{b:c}'],
  ])('%s', (_why, before, after) => expect(minifyStyle(before)).toBe(after))
  test('whatever is thrown at it, its tree stays', () => {
    const piece = fc.oneof(
      fc.constantFrom(
        '.a',
        '{',
        '}',
        'b:c',
        ';',
        '@media x',
        '(',
        ')',
        '/* c */',
        '"',
        "'",
        ':hover',
        ',',
        'url(x y)',
        '!important',
        '\\',
        '&',
        '>',
        '@import "a";',
        '@font-face{src:url(f)}',
      ),
      fc.string({ maxLength: 4 }),
    )
    fc.assert(
      fc.property(fc.array(piece, { maxLength: 12 }), (pieces) => {
        const text = pieces.join(' ')
        expect(treeOf(minifyStyle(text))).toBe(treeOf(text))
      }),
      { numRuns: 300 },
    )
  })
})

describe('scripts', () => {
  test.each(REAL_SCRIPTS)('$name is within 3 % of what terser reaches with the same care', async ({ text }) => {
    const alone = await terser(text, { mangle: { toplevel: false } })
    expect((await minifyScript(text)).length).toBeLessThanOrEqual(alone.code!.length * 1.03)
  })
  test.each([
    ['what cannot be parsed stays', 'var = 1'],
    ['so does what is small already', 'a()'],
  ])('%s', async (_why, text) => expect(await minifyScript(text)).toBe(text))
  test('names at the top stay, for other scripts to use', async () => {
    expect(
      await minifyScript(
        'function greetTheVisitor (nameOfVisitor) { return nameOfVisitor + "!" }\nvar shipsBell = 1\n',
      ),
    ).toMatch(/greetTheVisitor[^]*shipsBell/)
  })
  test('licences stay', async () => {
    expect(await minifyScript('/*! (c) the ferry company */\n/* note */\nvar aVeryLongName = 1 + 1\n')).toContain(
      '(c) the ferry company',
    )
  })
})

describe('data and drawings', () => {
  test('JSON of any kind is read the same afterwards', () => {
    fc.assert(
      fc.property(fc.jsonValue(), fc.constantFrom(0, 1, 2, '\t'), (value, indent) => {
        const text = JSON.stringify(value, null, indent)
        expect(JSON.parse(minifyJson(text))).toEqual(JSON.parse(text))
        expect(minifyJson(text)).toBe(JSON.stringify(value))
      }),
    )
  })
  test('what is no JSON stays', () => expect(minifyJson('{ a: 1 }')).toBe('{ a: 1 }'))
  test('a drawing shows the same pixels (sharp)', async () => {
    const svg =
      '<?xml version="1.0"?><!-- drawn by hand --><svg xmlns="http://www.w3.org/2000/svg" width="60" height="40" viewBox="0 0 60 40"><desc>A boat</desc><g id="boat"><path d="M 10.000 30.000 L 50.000 30.000 L 44.000 36.000 L 16.000 36.000 Z" fill="#0c6a70"/><rect x="24" y="14" width="12" height="16" fill="#d9a400" stroke="none"/></g></svg>'
    const made = minifySvg(svg)
    expect(made.length).toBeLessThan(svg.length)
    expect(made).toContain('id="boat"')
    const pixels = (text: string) => sharp(Buffer.from(text)).raw().toBuffer()
    const [before, after] = [await pixels(svg), await pixels(made)]
    expect(before.every((value, i) => Math.abs(value - after[i]!) <= 2)).toBe(true)
  })
  test('what is no drawing stays', () => expect(minifySvg('<svg')).toBe('<svg'))
})
