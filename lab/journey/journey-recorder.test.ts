import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import type { Browser } from 'playwright-core'
import { afterEach, beforeEach, afterAll, beforeAll, describe, expect, test } from 'vitest'
import { LinkRelay } from '../link/link-relay.ts'
import { followJourney } from './journey.ts'
import { launchBrowser } from '../cdp/launch.ts'
import { JourneyRecorder } from './journey-recorder.ts'
import { selectorOf } from './selector.ts'

let browser: Browser
let server: Server
let origin: string
const SIGN_IN = `<!doctype html><style>*{margin:0}input,button{display:block;height:40px;width:200px}</style>
<form action="/in"><input name="who"><input name="word" type="password"><button>Sign in</button></form>`

beforeAll(async () => {
  browser = await launchBrowser()
  server = createServer((req, res) => {
    const url = new URL(req.url!, 'http://x')
    res.setHeader('content-type', 'text/html')
    if (url.pathname === '/in')
      res.writeHead(302, { 'set-cookie': `who=${url.searchParams.get('who')}; Path=/`, location: '/hello' }).end()
    else if (url.pathname === '/hello')
      res.end(`<p id="hello">Hello ${/who=(\w+)/.exec(req.headers.cookie ?? '')?.[1] ?? 'nobody'}</p>`)
    else res.end(SIGN_IN)
  })
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  origin = `http://127.0.0.1:${(server.address() as AddressInfo).port}`
})
afterAll(async () => {
  await browser.close()
  server.closeAllConnections()
  server.close()
})

const link = { roundTripMs: 0, downKbps: 1e6, upKbps: 1e6, privateAddresses: 'allowed' } as const
let relay: LinkRelay
beforeEach(() => {
  relay = new LinkRelay(link)
})
afterEach(() => relay.close())

describe('a journey', () => {
  test('that was recorded by doing it is followed again to the same end', async () => {
    const recorder = await JourneyRecorder.open(browser, { origin, path: '/sign-in' }, await relay.listen())
    await recorder.act({ do: 'click', x: 50, y: 20 })
    await recorder.act({ do: 'type', text: 'rider' })
    const sent = await recorder.act({ do: 'submit' })
    expect(sent.url).toBe(`${origin}/hello`)
    const { steps, jpeg, note } = await recorder.act({ do: 'see', x: 20, y: 8 })
    await recorder.close()
    expect(note).toBeNull()
    expect(Buffer.from(jpeg, 'base64').subarray(0, 2)).toEqual(Buffer.from([0xff, 0xd8]))
    expect(steps).toEqual([
      { do: 'open', path: '/sign-in' },
      { do: 'type', target: 'input[name="who"]', text: 'rider' },
      { do: 'click', target: 'form[action="/in"] button' },
      { do: 'see', target: '#hello' },
    ])

    const page = await browser.newPage()
    expect(await followJourney(page, { id: 'j', name: 'In', steps }, origin, 5000)).toEqual({
      kind: 'arrived',
    })
    expect(await page.textContent('#hello')).toBe('Hello rider')
    await page.close()
  })
  test('what cannot be done is said, and is no step', async () => {
    const recorder = await JourneyRecorder.open(browser, { origin, path: '/sign-in' }, await relay.listen())
    expect((await recorder.act({ do: 'type', text: 'x' })).note).toBe('Click into a field first.')
    expect((await recorder.act({ do: 'submit' })).note).toContain('not in a form')
    const { steps, note } = await recorder.act({ do: 'click', x: 900, y: 600 })
    expect([steps.length, note]).toEqual([1, 'There is nothing at that point.'])
    await recorder.close()
  })
})

describe('a selector', () => {
  const first = async (html: string): Promise<string | null> => {
    const page = await browser.newPage()
    await page.setContent(`<style>*{margin:0}</style>${html}`)
    const box = (await page.locator('[data-it]').boundingBox())!
    const selector = await page.evaluate(selectorOf, { x: box.x + 2, y: box.y + 2 })
    const isIt = selector !== null && (await page.locator(selector).count()) === 1
    await page.close()
    return isIt ? selector : `not unique: ${selector}`
  }
  test.each([
    ['by id', '<button id="menu" data-it>x</button>', '#menu'],
    ['not by an id that is a number', '<button id="post-20931" data-it>x</button>', 'button'],
    ['by name', '<input name="q" data-it><input name="r">', 'input[name="q"]'],
    [
      'by address, though a word in the link was clicked',
      '<a href="/a"><b data-it>x</b></a><a href="/b">y</a>',
      'a[href="/a"]',
    ],
    ['by place, when nothing else tells', '<ul><li>a</li><li data-it>b</li></ul>', 'li:nth-of-type(2)'],
  ])('%s', async (_why, html, expected) => expect(await first(html)).toBe(expected))
})
