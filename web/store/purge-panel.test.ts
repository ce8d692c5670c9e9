import { nextTick } from 'vue'
import { afterEach, describe, expect, test, vi } from 'vitest'
import { aSite } from '../testing/a-site.ts'
import { answering, refusal } from '../testing/answers.ts'
import { button, choose, mounted, textOf } from '../testing/mounted.ts'
import PurgePanel from './PurgePanel.vue'

const write = async (host: Element, text: string): Promise<void> => {
  const area = host.querySelector<HTMLTextAreaElement>('textarea:not([aria-hidden])')!
  area.value = text
  area.dispatchEvent(new Event('input'))
  await nextTick()
}
const submit = async (host: Element): Promise<void> => {
  host.querySelector('form')!.dispatchEvent(new Event('submit'))
  await nextTick()
}
afterEach(() => vi.unstubAllGlobals())

describe('a purge', () => {
  test.each([
    ['These addresses', ' /a \n\n/b', { kind: 'paths', paths: ['/a', '/b'] }],
    ['Addresses starting with', '/stories/', { kind: 'prefix', prefix: '/stories/' }],
    ['Addresses matching a pattern', '/stories/*', { kind: 'pattern', pattern: '/stories/*' }],
    ['Groups', 'timetables\nfares', { kind: 'groups', groups: ['timetables', 'fares'] }],
  ])('of "%s" names just what was written', async (kind, text, what) => {
    const asked = answering({ 'POST /sites/quay/purges': { purged: 2 } })
    const host = mounted(PurgePanel, { site: aSite() })
    if (kind !== 'These addresses') await choose(host, 'What to purge', kind)
    await write(host, text)
    await submit(host)
    await expect.poll(() => asked[0]?.body).toEqual({ ...what, manner: 'hard' })
  })
  test('of nothing named cannot be asked for; of everything can', async () => {
    const host = mounted(PurgePanel, { site: aSite() })
    expect(button(host, 'Purge').disabled).toBe(true)
    await write(host, '\n  \n')
    expect(button(host, 'Purge').disabled).toBe(true)
    await choose(host, 'What to purge', 'Everything')
    expect(button(host, 'Purge').disabled).toBe(false)
  })
  test('tells how many it met, and that what is stored has changed', async () => {
    let changed = 0
    answering({ 'POST /sites/quay/purges': { purged: 1 } })
    const host = mounted(PurgePanel, { site: aSite(), onChanged: () => changed++ })
    await write(host, '/a')
    await submit(host)
    await expect.poll(() => textOf(host)).toContain('1 stored response removed.')
    expect(changed).toBe(1)
  })
  test('that is refused claims nothing', async () => {
    answering({ 'POST /sites/quay/purges': refusal('Delivery does not run.') })
    const host = mounted(PurgePanel, { site: aSite() })
    await write(host, '/a')
    await submit(host)
    expect(textOf(host)).not.toContain('removed')
  })
  test('can mark stale instead, so that no visitor waits', async () => {
    const asked = answering({ 'POST /sites/quay/purges': { purged: 2 } })
    const host = mounted(PurgePanel, { site: aSite() })
    await write(host, '/a')
    host.querySelector<HTMLInputElement>('input[type=radio][value=soft]')!.click()
    await submit(host)
    await expect.poll(() => asked[0]?.body).toMatchObject({ manner: 'soft' })
    await expect.poll(() => textOf(host)).toContain('2 stored responses marked stale.')
  })
})
