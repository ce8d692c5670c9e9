import { tokenize } from 'css-tree'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import type { Browser, Page } from 'playwright-core'
import { launchBrowser } from '../../lab/cdp/launch.ts'
import { minifyScript } from '../../core/page/minify/script.ts'
import { minifyStyle } from '../../core/page/minify/style.ts'
import { BACKGROUND_LOADER } from '../../core/page/transforms/lazy-loading.ts'
import { FIRST_TOUCH_LOADER } from '../../core/page/transforms/script-order.ts'
import { rewritten } from '../../core/page/testing/pages.ts'
import { REAL_SCRIPTS, REAL_SHEETS } from '../testing/real-files.ts'

/** What was minified or moved still does in a real Chromium what it did before. */

let browser: Browser
let page: Page
beforeAll(async () => {
  browser = await launchBrowser()
  page = await browser.newPage()
})
afterAll(() => browser?.close())

/** Something that uses a library all over, as text to run in a page. Its answer says all of what happened. */
const USES: Record<string, string> = {
  'underscore/underscore.js':
    'JSON.stringify([_.chain([3,1,2]).sortBy().map(n=>n*2).value(), _.groupBy([1.3,2.1,2.4],Math.floor), _.isEqual({a:[1,{b:2}]},{a:[1,{b:2}]}), _.template("Hi <%= n %><% if(x){ %>!<% } %>")({n:"<b>",x:1}), _.escape("<a&b>"), _.debounce.length, Object.keys(_).length, _.partition([1,2,3],n=>n%2), _.range(0,10,3)])',
  'jquery/dist/jquery.js':
    'JSON.stringify([$("<div class=a><p>x</p><p>y</p></div>").find("p:last").text(), $("<form><input name=a value=1><select name=b><option>2</option></select></form>").serialize(), $.extend(true,{a:{b:1}},{a:{c:2}}), (()=>{let n=0;const e=$("<b>").on("ping.x",()=>n++).trigger("ping").off(".x").trigger("ping");return n})(), $.param({a:[1,2],b:{c:3}}), $("<i style=width:7px>").css("width"), Object.keys($.fn).length, $.fn.jquery])',
  'lodash/lodash.js':
    'JSON.stringify([_.merge({a:[{b:1}]},{a:[{c:2}]}), _.sortBy([{n:2},{n:1}],"n"), _.camelCase("--foo-bar"), _.template("${ a } <%- b %>")({a:1,b:"<"}), _.cloneDeep(new Map([[1,{a:2}]])).get(1), _.words("fred, barney & pebbles"), Object.keys(_).length, _.VERSION, _.chunk(_.range(7),3), _.padStart("7",3,"0")])',
  'jquery-ui-dist/jquery-ui.js':
    'JSON.stringify([Object.keys($.ui).sort(), (()=>{const e=$("<div><h3>a</h3><div>1</div><h3>b</h3><div>2</div></div>").appendTo(document.body).accordion({active:1,animate:false});return e.find(".ui-accordion-content-active").text()+e.accordion("option","active")})(), $.datepicker.formatDate("DD, d MM yy", new Date(2026,10,26)), (()=>{const e=$("<div>").appendTo(document.body).progressbar({value:37});return e.attr("aria-valuenow")})()])',
}

describe('minified libraries', () => {
  test.each(REAL_SCRIPTS)('$name does the same', async ({ name, text }) => {
    const made = await minifyScript(text)
    expect(made.length).toBeLessThan(text.length / 1.5)
    const answers: unknown[] = []
    for (const script of [text, made]) {
      await page.goto('about:blank')
      if (name.startsWith('jquery-ui')) await page.addScriptTag({ content: REAL_SCRIPTS[1]!.text })
      await page.addScriptTag({ content: script })
      answers.push(await page.evaluate(USES[name]!))
    }
    expect(answers[1]).toBe(answers[0])
    expect(String(answers[0]).length).toBeGreaterThan(80)
  })
})

describe('minified style sheets', () => {
  test.each(REAL_SHEETS)('$name has the same rules, as the browser reads them (CSSOM)', async ({ text }) => {
    const rules = async (css: string) => {
      const { selectors, whole } = await page.evaluate((sheet) => {
        const made = new CSSStyleSheet()
        made.replaceSync(sheet)
        const found: string[] = []
        const walk = (list: CSSRuleList): void => {
          for (const rule of list) {
            if (rule instanceof CSSStyleRule) found.push(rule.selectorText)
            if ('cssRules' in rule) walk(rule.cssRules as CSSRuleList)
          }
        }
        walk(made.cssRules)
        return { selectors: found, whole: [...made.cssRules].map(({ cssText }) => cssText).join('\n') }
      }, css)
      // Values with var() are kept as they were written: token for token the same, whatever white space is between (CSS Syntax 3 §4).
      const tokens: string[] = []
      tokenize(whole, (type, from, to) => {
        const token = whole.slice(from, to)
        if (token.trim() !== '') tokens.push(`${type} ${token}`)
      })
      return { selectors, tokens }
    }
    const before = await rules(text)
    expect(await rules(minifyStyle(text))).toEqual(before)
    expect(before.tokens.length).toBeGreaterThan(300)
  })
})

describe('scripts that wait', () => {
  const serve = async (html: string, files: Record<string, string>): Promise<void> => {
    await page.route('http://quay.example/**', (route) => {
      const { pathname } = new URL(route.request().url())
      const body = pathname === '/' ? html : files[pathname]
      return body === undefined
        ? route.fulfill({ status: 404 })
        : route.fulfill({
            body,
            contentType: pathname === '/' ? 'text/html; charset=utf-8' : 'text/javascript',
          })
    })
    await page.goto('http://quay.example/')
  }
  const files = {
    '/base.js': 'window.said = ["base"]; window.say = (x) => window.said.push(x)',
    '/plugin.js': 'say("plugin")',
    '/chat.js': 'say("chat")',
    '/app.js': 'say("app")',
  }
  const scripts =
    '<script src="/base.js"></script><script>say("inline “é”" + (document.readyState !== "complete"))</script><script src="/plugin.js"></script>'

  test.each(['late', 'defer', 'end'])('run in the same order as before (%s)', async (manner) => {
    const { html } = await rewritten(
      `<!doctype html><meta charset=utf-8><script defer src="/app.js"></script>${scripts}<p>x</p>`,
      { scriptOrder: { manner } },
    )
    await serve(html, files)
    expect(await page.evaluate('said')).toEqual(['base', 'inline “é”true', 'plugin', 'app'])
    await page.unroute('http://quay.example/**')
  })
  test('those for the first touch run at the first touch, and once', async () => {
    const { html } = await rewritten(
      `<!doctype html>${scripts}<script src="/chat.js"></script><p style="height:3000px">x</p>`,
      { scriptOrder: { firstTouch: ['chat.js'] } },
    )
    expect(html).toContain(FIRST_TOUCH_LOADER.slice(0, 40))
    await serve(html, files)
    expect(await page.evaluate('said')).not.toContain('chat')
    await page.keyboard.press('Tab')
    await expect.poll(() => page.evaluate('said')).toContain('chat')
    await page.mouse.wheel(0, 100)
    expect(((await page.evaluate('said')) as string[]).filter((one) => one === 'chat')).toHaveLength(1)
    await page.unroute('http://quay.example/**')
  })
  test('a background loads when it comes near the view', async () => {
    const far = '<div style="height:5000px"></div><div id="far" style="height:9px;background:url(/b.png)"></div>'
    const { html } = await rewritten(`<!doctype html><body>${far}</body>`, { lazy: { firstImages: 0 } })
    expect(html).toContain(BACKGROUND_LOADER.slice(0, 40))
    await serve(html, {})
    const background = () => page.evaluate('getComputedStyle(document.getElementById("far")).backgroundImage')
    expect(await background()).toBe('none')
    await page.evaluate('window.scrollTo(0, 5000)')
    await expect.poll(background).toContain('/b.png')
    await page.unroute('http://quay.example/**')
  })
})
