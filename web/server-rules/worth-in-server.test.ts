import { afterEach, expect, test, vi } from 'vitest'
import type { Findings } from '../../core/contracts/findings.ts'
import { aSite } from '../testing/a-site.ts'
import { answering } from '../testing/answers.ts'
import { mounted, textOf, textsOf } from '../testing/mounted.ts'
import WorthInServer from './WorthInServer.vue'

afterEach(() => vi.unstubAllGlobals())
const times = (lcpMs: number) => ({ fcpMs: lcpMs, lcpMs, loadedMs: lcpMs })
const findings = (withAll: number): Findings => ({
  ...{ findings: [], remedies: [], limits: [] },
  looks: [
    {
      ...{
        pageId: 'home',
        path: '/',
        visitorId: aSite().visitors[0]!.id,
        at: '2026-12-02T10:00:00.000Z',
        side: 'origin',
      },
      ...{ now: times(3900), detailedLcpMs: 2000, withAll: times(withAll) },
      ...{ withRules: times(3100), withStoredPages: times(2500) },
    },
  ],
})
const shown = async (found: Findings): Promise<HTMLElement> => {
  answering({ 'GET /sites/quay/findings': found })
  const host = mounted(WorthInServer, { site: aSite() })
  await expect.poll(() => textOf(host)).not.toBe('')
  return host
}

test('what rules in the server are worth stands beside what is worth more in front, in seconds', async () => {
  const host = await shown(findings(1200))
  expect(textsOf(host, 'tbody tr > *').map((text) => text.replaceAll(' ', ' '))).toEqual([
    'Home page',
    aSite().visitors[0]!.name,
    '3.9 s',
    '3.1 s',
    '2.5 s',
    '1.2 s',
  ])
  expect(textOf(host)).toContain('What your server cannot do and Zest Lamp in front can')
})
test('where the server can do it all, that is said', async () => {
  expect(textOf(await shown(findings(2500)))).toContain('Your server can do all that is worth something')
})
test('what was measured behind Zest Lamp says nothing about the server', async () => {
  const { looks, ...rest } = findings(1200)
  const host = await shown({ ...rest, looks: looks.map((look) => ({ ...look, side: 'live' })) })
  expect(textOf(host)).toContain('Once your server (origin) has been measured')
})
test('before anything was measured it is said what would stand there', async () => {
  const host = await shown({ ...findings(0), looks: [] })
  expect(textOf(host)).toContain('Once your server (origin) has been measured')
  expect(host.querySelector('table')).toBeNull()
})
