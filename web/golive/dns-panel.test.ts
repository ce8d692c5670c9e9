import { afterEach, expect, test, vi } from 'vitest'
import type { DnsPlan } from '../../core/contracts/going-live.ts'
import { aSite } from '../testing/a-site.ts'
import { answering } from '../testing/answers.ts'
import { button, field, mounted, press, textOf, textsOf, type } from '../testing/mounted.ts'
import DnsPanel from './DnsPanel.vue'

afterEach(() => vi.unstubAllGlobals())

const old = { name: 'www.quay.example.', ttl: 7200, type: 'A', data: '192.0.2.1' }
const next = { name: 'www.quay.example.', ttl: 300, type: 'A', data: '198.51.100.7' }
const plan: DnsPlan = {
  zone: 'quay.example',
  records: [old],
  isWhole: false,
  problems: [],
  lowerFirst: [old],
  waitS: 7200,
  changes: [
    { what: 'remove', record: old },
    { what: 'add', record: next },
  ],
  notes: ['See that your certificate authority is among them.'],
  zoneFile: 'after',
  zoneFileBefore: 'before',
}
const shown = async (answer: DnsPlan) => {
  const asked = answering({
    'POST /sites/quay/going-live/dns-plans': answer,
    'POST /sites/quay/going-live/dns-answers': [
      { resolver: '192.0.2.53', addresses: ['192.0.2.1'], ttl: 60, state: 'old' },
      { resolver: '192.0.2.54', addresses: [], ttl: null, state: 'silent' },
    ],
  })
  const host = mounted(DnsPanel, { site: aSite() })
  await type(field(host, 'Addresses of the machine Zest Lamp runs on'), '198.51.100.7, 2001:db8::7')
  return { asked, host }
}

test('each line that changes is shown, what to wait for, and what else to see to', async () => {
  const { asked, host } = await shown(plan)
  await press(host, 'Show what changes')
  host.querySelector('form')!.dispatchEvent(new Event('submit'))
  await expect.poll(() => textsOf(host, '.lines code')).toHaveLength(3)
  expect(asked[0]!.body).toMatchObject({ addresses: ['198.51.100.7', '2001:db8::7'], alias: null, zoneFile: null })
  expect(textsOf(host, '.lines .remove code')).toEqual(['www.quay.example. 7200 A 192.0.2.1'])
  expect(textsOf(host, '.lines .add code')).toEqual(['www.quay.example. 300 A 198.51.100.7'])
  expect(textOf(host)).toMatch(/then wait 2 hours/)
  expect(textOf(host)).toContain(plan.notes[0])
  expect(textOf(host)).toContain('Others may exist')
})

test('what was said of one place is gone once another is typed', async () => {
  const { host } = await shown({ ...plan, changes: [], lowerFirst: [], isWhole: true })
  host.querySelector('form')!.dispatchEvent(new Event('submit'))
  await expect.poll(() => textOf(host)).toContain('Nothing changes')
  await type(field(host, 'Addresses of the machine Zest Lamp runs on'), '')
  expect(textOf(host)).not.toContain('Nothing changes')
  expect(button(host, 'Show what changes').disabled).toBe(true)
})

test('name servers say where visitors are sent', async () => {
  const { host } = await shown(plan)
  await press(host, 'Who sees what now')
  await expect.poll(() => textsOf(host, 'tbody tr')).toHaveLength(2)
  expect(textsOf(host, 'tbody td')).toEqual(['to another server', '192.0.2.1', '60 s', 'gave no answer', '–', '–'])
})

test('before name servers change, what the new ones lack is shown', async () => {
  const { asked, host } = await shown(plan)
  const answer = { zone: 'quay.example', missing: [old], different: [], extra: [], same: 7, problems: [] }
  vi.unstubAllGlobals()
  const again = answering({ 'POST /sites/quay/going-live/name-server-comparisons': answer })
  await type(field(host, 'The new name servers'), 'ns1.keeper.example, 192.0.2.53')
  host.querySelectorAll('form')[1]!.dispatchEvent(new Event('submit'))
  await expect.poll(() => textOf(host)).toContain('1 missing and 0 different on the new name servers')
  expect(again[0]!.body).toMatchObject({ servers: ['ns1.keeper.example', '192.0.2.53'] })
  expect(textsOf(host, '.lines code')).toEqual(['www.quay.example. 7200 A 192.0.2.1'])
  await type(field(host, 'The new name servers'), 'ns1.keeper.example')
  expect(textOf(host)).not.toContain('1 missing')
  expect(asked).toEqual([])
})
