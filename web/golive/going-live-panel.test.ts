import { afterEach, expect, test, vi } from 'vitest'
import type { GoingLive, GoingLiveStep } from '../../core/contracts/going-live-steps.ts'
import { aSite } from '../testing/a-site.ts'
import { answering } from '../testing/answers.ts'
import { choose, mounted, press, textOf, textsOf } from '../testing/mounted.ts'
import BackDoor from './BackDoor.vue'
import GoingLivePanel from './GoingLivePanel.vue'

afterEach(() => vi.unstubAllGlobals())

const record = { name: 'quay.example.', ttl: 600, type: 'A', data: '192.0.2.1' }
const nothing: GoingLive = { target: null, before: null, closedByHand: false, checkedAt: null, steps: [] }
const step = (id: GoingLiveStep['id'], state: GoingLiveStep['state'], evidence: string[] = []): GoingLiveStep => ({
  ...{ id, state, sentence: `${id} is ${state}.`, evidence },
})
const checked: GoingLive = {
  target: { addresses: ['198.51.100.7'], alias: null },
  before: { zone: 'quay.example', records: [record], savedAt: '2026-11-01T10:00:00.000Z' },
  closedByHand: false,
  checkedAt: '2026-11-02T10:00:00.000Z',
  steps: [
    ...[step('ready', 'done'), step('certificate', 'done'), step('dns', 'open', ['192.0.2.53 shows the old address'])],
    ...[step('proof', 'problem'), step('back-door', 'open'), step('way-back', 'done')],
  ],
}
const job = {
  ...{
    id: 'j',
    siteId: 'quay',
    kind: 'live-check',
    title: 'Check',
    subjectId: 'quay',
    state: 'done',
    done: 5,
    total: 5,
  },
  ...{ now: '', msLeft: null, skip: null, error: null },
  ...{ createdAt: '2026-11-01T10:00:00.000Z', finishedAt: '2026-11-01T10:00:09.000Z' },
}
const shown = async (first: GoingLive) => {
  let found = first
  const asked = answering({
    'GET /sites/quay/going-live': () => found,
    'POST /sites/quay/going-live/checks': () => {
      found = checked
      return job
    },
    'PUT /sites/quay/going-live': { ...checked, closedByHand: true },
    'DELETE /sites/quay/going-live': undefined,
    'POST /sites/quay/origin-key': aSite(),
    'DELETE /sites/quay/origin-key': aSite(),
    'GET /sites': [],
    'GET /sites/quay/certificate/automatic': { automatic: null },
  })
  const host = mounted(GoingLivePanel, { site: aSite() })
  await expect.poll(() => textOf(host)).toContain('Check all steps')
  return { asked, host }
}

test('before anything is checked, the steps stand there in order', async () => {
  const { host } = await shown(nothing)
  expect(textsOf(host, '.steps > li summary b')).toEqual([
    ...['Ready', 'Certificate', 'DNS', 'Proof from outside', 'Close the back door', 'Way back'],
  ])
  expect(textOf(host)).toContain('Not checked yet')
})
test('a check says where each stands, with evidence, and opens the first that is not done', async () => {
  const { host } = await shown(nothing)
  await press(host, 'Check all steps')
  await expect.poll(() => textOf(host)).toContain('3 of 6 steps done')
  expect(textsOf(host, '.steps > li summary .state')).toEqual(['Done', 'Done', 'Open', 'Problem', 'Open', 'Done'])
  expect([...host.querySelectorAll('.steps > li > details')].map((one) => one.hasAttribute('open'))).toEqual([
    ...[false, false, true, false, false, false],
  ])
  expect(textOf(host)).toContain('192.0.2.53 shows the old address')
})
test('the way back shows the records as they were, and the rules name the addresses of Zest Lamp', async () => {
  const { host } = await shown(checked)
  expect(textsOf(host, '.printed code')).toEqual(['quay.example. 600 A 192.0.2.1'])
  expect(textOf(host)).toContain('allow 198.51.100.7;')
})
test('a secret field is sent on order, and then stands in the rules', async () => {
  const { asked, host } = await shown(checked)
  await choose(host, 'How your server recognizes Zest Lamp', 'By a secret field (request header)')
  expect(textOf(host)).not.toContain('allow 198.51.100.7;')
  await press(host, 'Send a secret field')
  await expect.poll(() => asked.map(({ what }) => what)).toContain('POST /sites/quay/origin-key')
  const other = mounted(BackDoor, { site: { ...aSite(), originKey: 'k3y-of_the-quay' }, addresses: null })
  expect(textsOf(other, 'pre')).toEqual([
    expect.stringContaining('"k3y-of_the-quay"'),
    expect.stringContaining("'k3y-of_the-quay'"),
  ])
  await press(other, 'Stop sending it')
  await expect.poll(() => asked.map(({ what }) => what)).toContain('DELETE /sites/quay/origin-key')
})
test('that the back door is closed is the owner’s word', async () => {
  const { asked, host } = await shown(checked)
  const box = [...host.querySelectorAll('input')].find(({ type }) => type === 'checkbox')!
  box.click()
  await expect.poll(() => asked.find(({ what }) => what.startsWith('PUT'))?.body).toEqual({ closedByHand: true })
})
test('begun again, nothing of the earlier attempt is kept', async () => {
  const { asked, host } = await shown(checked)
  await press(host, 'Begin again')
  await expect.poll(() => asked.map(({ what }) => what)).toContain('DELETE /sites/quay/going-live')
})
