import { expect, test } from 'vitest'
import { ServerBench } from '../testing/server-bench.ts'

const HOME = `<title>Quay</title><link rel=stylesheet href=/look.css?v=2><link rel=stylesheet href=/print.css>
<script src=/app.js></script><script src=https://elsewhere.example/x.js></script>
<img src=/lamp.svg><img src=/quay.jpg><script src=/bundle></script>`

test('the home page and one file of each type of text stand for a site, with what the browser that asks takes', async () => {
  const bench = await ServerBench.open()
  try {
    bench.site = (path) =>
      path === '/' ? { headers: { 'content-type': 'text/html' }, body: HOME } : { body: 'x', status: 404 }
    const { id } = await bench.connect()
    const { body } = await bench.call('GET', `/sites/${id}/compression-plan`, undefined, {
      authorization: 'Bearer test-token',
      'accept-encoding': 'gzip, br;q=0.9, deflate;q=0',
    })
    expect(body).toEqual({
      paths: ['/', '/look.css?v=2', '/app.js', '/lamp.svg', '/bundle'],
      accepts: ['gzip', 'br'],
    })
    bench.site = () => ({ headers: { 'content-type': 'application/json' }, body: '{}' })
    expect((await bench.call('GET', `/sites/${id}/compression-plan`)).body.paths).toEqual(['/'])
  } finally {
    await bench.close()
  }
})
