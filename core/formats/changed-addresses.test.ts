import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { changedAddresses } from './changed-addresses.ts'

const HOSTS = new Set(['www.orrin-sound.example', 'orrin.localhost'])
const read = (body: string) => changedAddresses(body, HOSTS)
const NAMED = 'https://www.orrin-sound.example/stories/storm?page=2'

describe('addresses of the site are found', () => {
  test.each([
    ['in JSON, however deep', JSON.stringify({ post: { current: [{ url: NAMED }] } })],
    ['in JSON that writes slashes with a backslash', `{"url":"${NAMED.replaceAll('/', '\\/')}"}`],
    ['in a form (WHATWG URL §5)', new URLSearchParams({ event: 'saved', link: NAMED }).toString()],
    ['in JSON within a form', new URLSearchParams({ payload: JSON.stringify({ link: NAMED }) }).toString()],
    ['in any text', `The page <a href="${NAMED}">Storm</a> was saved.`],
    ['as a path', '{"path":"/stories/storm?page=2"}'],
    ['at another name of the site, on a port', '{"url":"http://orrin.localhost:8410/stories/storm?page=2"}'],
  ])('%s', (_where, body) => {
    expect(read(body)).toEqual({ paths: ['/stories/storm?page=2'], everything: false })
  })
})

test('a list of paths and addresses, one per line', () => {
  expect(read(`/stories\n${NAMED}\n`).paths).toEqual(['/stories', '/stories/storm?page=2'])
})

test.each([
  ['an address of another site', '{"url":"https://elsewhere.example/stories/storm"}'],
  ['a name that only begins like the site’s', '{"url":"https://www.orrin-sound.example.elsewhere.example/x"}'],
  ['a text that only begins like a path', '{"text":"/ is the home page"}'],
  ['an address without scheme', '{"url":"//www.orrin-sound.example/x"}'],
  ['nothing', ''],
])('%s names nothing', (_what, body) => {
  expect(read(body)).toEqual({ paths: [], everything: false })
})

test.each(['{"everything":true}', 'everything=1', '{"changed":["everything"]}', 'everything'])(
  '%s means the whole site',
  (body) => expect(read(body).everything).toBe(true),
)

test('whatever is sent, only paths come of it, each once', () => {
  fc.assert(
    fc.property(
      fc.oneof(fc.string(), fc.json(), fc.webUrl(), fc.constantFrom(`{"a":${'['.repeat(500)}${']'.repeat(500)}}`)),
      (body) => {
        const { paths } = read(body)
        expect(new Set(paths).size).toBe(paths.length)
        for (const path of paths) expect(path.startsWith('/') && !path.startsWith('//')).toBe(true)
      },
    ),
  )
})

test('more addresses than anybody lists mean the whole site', () => {
  const all = Array.from({ length: 5001 }, (_, i) => `/stories/${i}`)
  const { paths, everything } = read(JSON.stringify(all))
  expect([paths.length, everything]).toEqual([5000, true])
})
