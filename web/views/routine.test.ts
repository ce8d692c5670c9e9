import { nextTick } from 'vue'
import { afterEach, describe, expect, test, vi } from 'vitest'
import { Routine, type Message } from '../../core/contracts/routine.ts'
import MessageList from '../measure/MessageList.vue'
import { useSite } from '../stores/site.ts'
import { aSite } from '../testing/a-site.ts'
import { answering, whatOf } from '../testing/answers.ts'
import { button, choose, field, mounted, press, textOf, textsOf, type } from '../testing/mounted.ts'
import RoutineView from './RoutineView.vue'

afterEach(() => vi.unstubAllGlobals())
const routine = Routine.parse({
  everyHours: 24,
  limits: [{ visitorId: 'phone', lcpSeconds: 2.5 }],
  webhook: 'https://chat.example/hook',
})
const limit = (host: Element, label: string): HTMLInputElement =>
  host.querySelector<HTMLInputElement>(`input[aria-label="${label}"]`)!

describe('the routine', () => {
  const shown = () => {
    const asked = answering({ 'PUT /sites/quay/routine': aSite({ routine }), 'GET /sites': [aSite({ routine })] })
    const host = mounted(RoutineView, { site: aSite({ routine }) })
    const save = async () => {
      await nextTick()
      host.querySelector('form')!.dispatchEvent(new Event('submit'))
      await expect.poll(() => whatOf(asked)).toContain('PUT /sites/quay/routine')
      return asked.find(({ what }) => what.startsWith('PUT'))!.body
    }
    return { host, save }
  }
  test('shows limits of every visitor, whether there are any or not', () => {
    const { host } = shown()
    expect(limit(host, 'Main content, s for Phone').value).toBe('2.5')
    expect(limit(host, 'Main content, s for Laptop').value).toBe('')
  })
  test('is saved as it stands; visitors without a limit have none', async () => {
    const { host, save } = shown()
    expect(button(host, 'Save routine').disabled).toBe(true)
    await choose(host, 'Retest', 'every week')
    await type(limit(host, 'Requests for Phone'), '40')
    expect(await save()).toEqual({
      ...routine,
      everyHours: 168,
      limits: [{ visitorId: 'phone', lcpSeconds: 2.5, sentKilobytes: null, requests: 40 }],
    })
  })
  test('without its last limit and without a webhook says so, not an empty text', async () => {
    const { host, save } = shown()
    await type(limit(host, 'Main content, s for Phone'), '')
    await type(field(host, 'Webhook'), '')
    expect(await save()).toMatchObject({ limits: [], webhook: null })
  })
})

describe('messages', () => {
  const message = (id: string, read: boolean): Message => ({
    id,
    siteId: 'quay',
    at: '2026-11-26T08:00:00.000Z',
    kind: 'slower',
    sentence: `said ${id}`,
    measurementId: id,
    read,
  })
  const shown = async (props: object = {}) => {
    const host = mounted(MessageList, { site: aSite(), ...props })
    Object.assign(useSite(), { siteId: 'quay', messages: [message('new', false), message('old', true)] })
    await nextTick()
    return host
  }
  test('lead to the measurement they are about', async () => {
    const host = await shown()
    expect([...host.querySelectorAll('a')].map((a) => a.getAttribute('href'))).toEqual([
      '/sites/quay/measure/new',
      '/sites/quay/measure/old',
    ])
  })
  test('that were read can be left out', async () => {
    expect(textOf(await shown({ unreadOnly: true }))).not.toContain('said old')
  })
  test('are read together, on demand', async () => {
    answering({ 'POST /sites/quay/messages/read': undefined, 'GET /sites/quay/messages': [message('new', true)] })
    const host = await shown()
    expect(textsOf(host, '.unread')).toHaveLength(1)
    await press(host, 'Mark all as read')
    await expect.poll(() => textsOf(host, 'li')).toHaveLength(1)
    expect(textsOf(host, 'button')).toEqual([])
  })
})
