import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { SHOWN_LOADER } from '../../core/page/transforms/hold-scripts.ts'
import { html, MadeUpSite, measured, type Answer } from './testing/made-up-site.ts'

/** Scripts that count visits, in real Chromium: they wait until the page is shown, and then find what they would have found. */

let site: MadeUpSite
beforeAll(async () => {
  site = await MadeUpSite.open()
})
afterAll(() => site.close())

/** Counts as such scripts do: once the page has loaded, by a picture. */
const TAG = `window.counts = true; addEventListener('load', () => { new Image().src = '/count.gif?prerendering=' + document.prerendering })`
const HELD = `<script type="text/zest-shown" data-zest-src="/tag.js" data-of="tags"></script><script type="text/zest-shown" data-zest-src="/after.js"></script><script>${SHOWN_LOADER}</script>`
/** What the site was asked for while each load went on. */
const asked: string[] = []

const noting =
  (type: string, body = ''): Answer =>
  (req, res) => {
    asked.push(`${req.url} ${req.headers['sec-purpose'] === undefined ? 'shown' : 'ahead'}`)
    res.writeHead(200, { 'content-type': type }).end(body)
  }

beforeAll(() => {
  site.pages = {
    '/before': html(
      '<a href="/">Next</a><script type="speculationrules">{"prerender":[{"urls":["/"],"eagerness":"immediate"}]}</script>',
    ),
    '/plain': html('<a href="/">Next</a>'),
    '/': html(`<p>Here</p>${HELD}`),
    '/tag.js': noting('text/javascript', TAG),
    '/after.js': noting('text/javascript', "new Image().src = '/after.gif?after=' + window.counts"),
    '/count.gif': noting('image/gif'),
    '/after.gif': noting('image/gif'),
  }
})

describe('scripts that are held', () => {
  test.each([
    ['rendered ahead', '/before'],
    ['opened as ever', '/plain'],
  ])('run once the page is shown, in their order, when it is %s', async (_how, from) => {
    asked.length = 0
    const outcome = measured(await site.load('/', { visit: 'next', previousUrl: `${site.origin}${from}` }))
    expect(asked.filter((one) => one.endsWith('ahead'))).toEqual([])
    expect(outcome.requests.map(({ url }) => new URL(url).pathname)).toEqual(
      expect.arrayContaining(['/', '/tag.js', '/after.js', '/count.gif', '/after.gif']),
    )
    expect(asked).toContain('/after.gif?after=true shown')
    expect(asked.filter((one) => one.startsWith('/count.gif'))).toEqual(['/count.gif?prerendering=false shown'])
  })
})
