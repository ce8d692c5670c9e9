import { describe, expect, test } from 'vitest'
import { countVisits, parseLogLine } from './access-log.ts'

describe('Common and Combined Log Format', () => {
  test.each([
    // The example of the Common Log Format in the documentation of Apache httpd (from memory).
    [
      'common',
      '127.0.0.1 - frank [10/Oct/2000:13:55:36 -0700] "GET /apache_pb.gif HTTP/1.0" 200 2326',
      ['GET', '/apache_pb.gif', 200],
    ],
    [
      'combined',
      '203.0.113.9 - - [26/Nov/2026:03:00:00 +0000] "GET /stories/storm?x=1 HTTP/2.0" 304 0 "https://quay.example/" "Mozilla/5.0 (X11)"',
      ['GET', '/stories/storm?x=1', 304],
    ],
    ['no size', '::1 - - [26/Nov/2026:03:00:00 +0000] "HEAD / HTTP/1.1" 200 -', ['HEAD', '/', 200]],
    [
      'a user name with a space',
      '10.0.0.1 - Ann Quay [26/Nov/2026:03:00:00 +0000] "POST /in HTTP/1.1" 302 5',
      ['POST', '/in', 302],
    ],
    ['an absolute target', '10.0.0.1 - - [x] "GET http://quay.example/a?b=c HTTP/1.1" 200 5', ['GET', '/a?b=c', 200]],
    ['an escaped quote', '10.0.0.1 - - [x] "GET /a\\"b HTTP/1.1" 200 5', ['GET', '/a\\"b', 200]],
  ])('%s', (_why, line, [method, path, status]) => {
    expect(parseLogLine(line as string)).toMatchObject({ method, path, status })
  })
  test.each([
    ['10/Oct/2000:13:55:36 -0700', '2000-10-10T20:55:36.000Z'],
    ['26/Nov/2026:03:00:00 +0130', '2026-11-26T01:30:00.000Z'],
    ['26/Foo/2026:03:00:00 +0000', undefined],
    ['x', undefined],
  ])('time %s', (time, at) => {
    const read = parseLogLine(`10.0.0.1 - - [${time}] "GET / HTTP/1.1" 200 5`)?.at
    expect(read === undefined ? undefined : new Date(read).toISOString()).toBe(at)
  })
  test.each(['', 'hello', '{"path":"/"}', '10.0.0.1 - - [x] "\\x16\\x03" 400 0'])('no request: %j', (line) =>
    expect(parseLogLine(line)).toBeUndefined(),
  )
})

test('visits are answered GET requests of pages, without their queries; files and failures are none', () => {
  const line = (method: string, path: string, status = 200) =>
    `1.2.3.4 - - [x] "${method} ${path} HTTP/1.1" ${status} 1`
  const { lines, understood, visits } = countVisits([
    line('GET', '/'),
    line('GET', '/?utm_source=x'),
    line('GET', '/stories/a'),
    line('GET', '/style.css'),
    line('GET', '/photo.JPG'),
    line('GET', '/none', 404),
    line('POST', '/'),
    line('GET', '/', 304),
    'nonsense',
    '',
  ])
  expect([lines, understood]).toEqual([9, 8])
  expect([...visits]).toEqual([
    ['/', 3],
    ['/stories/a', 1],
  ])
})
