import { afterEach, describe, expect, test, vi } from 'vitest'
import type { AutomaticCertificate } from '../../core/contracts/certificates.ts'
import { aSite } from '../testing/a-site.ts'
import { answering } from '../testing/answers.ts'
import { button, field, mounted, press, textOf, textsOf, type } from '../testing/mounted.ts'
import AutomaticCertificatePanel from './AutomaticCertificatePanel.vue'

afterEach(() => vi.unstubAllGlobals())

const path = '/sites/quay/certificate/automatic'
const job = {
  id: 'j',
  siteId: 'quay',
  kind: 'certificate',
  title: 'Getting a certificate for quay.example',
  subjectId: 'quay',
  state: 'queued',
  done: 0,
  total: 1,
  now: '',
  msLeft: null,
  error: null,
  createdAt: '2026-11-26T08:00:00.000Z',
  finishedAt: null,
}
const got: AutomaticCertificate = {
  host: 'quay.example',
  directory: 'https://ca.example/directory',
  contact: 'keeper@quay.example',
  challenge: 'http-01',
  hasExternalAccount: false,
  state: 'valid',
  problem: null,
  lastTryAt: '2026-11-26T08:00:00.000Z',
  nextTryAt: '2027-01-25T08:00:00.000Z',
  validUntil: '2027-02-24T08:00:00.000Z',
  record: null,
}
const shown = async (automatic: AutomaticCertificate | null) => {
  const asked = answering({
    [`GET ${path}`]: { automatic },
    [`PUT ${path}`]: job,
    [`POST ${path}/tries`]: job,
    'GET /sites': [],
  })
  const host = mounted(AutomaticCertificatePanel, { site: aSite() })
  await vi.waitUntil(() => asked.length > 0)
  await expect.poll(() => textsOf(host, 'button').length).toBeGreaterThan(automatic === null ? 0 : 1)
  return { asked, host }
}

describe('a certificate from an authority', () => {
  test('is ordered once all is given and the terms are agreed to', async () => {
    const { asked, host } = await shown(null)
    await press(host, 'Get a certificate …')
    await expect.poll(() => document.querySelector('.dialog')).not.toBeNull()
    const dialog = document.querySelector('.dialog')!
    await type(field(dialog, 'Address of the authority’s directory'), 'https://ca.example/directory')
    await type(field(dialog, 'Your e-mail address, for the authority'), 'keeper@quay.example')
    expect(button(dialog, 'Get the certificate').disabled).toBe(true)
    dialog.querySelector<HTMLInputElement>('input[type=checkbox]')!.click()
    await expect.poll(() => button(dialog, 'Get the certificate').disabled).toBe(false)
    await press(dialog, 'Get the certificate')
    await expect
      .poll(() => asked.find(({ what }) => what.startsWith('PUT'))?.body)
      .toEqual({
        directory: 'https://ca.example/directory',
        contact: 'keeper@quay.example',
        challenge: 'http-01',
        termsAgreed: true,
        externalAccount: null,
      })
  })
  test('says where it came from and when it is renewed, and can be renewed or given up', async () => {
    const { host } = await shown(got)
    expect(textOf(host)).toMatch(/It came from ca\.example and is renewed by itself on/)
    expect(textsOf(host, 'button')).toEqual(['Change how it is got …', 'Renew now', 'Stop renewing'])
  })
  test('that did not come: why, and when it is tried again', async () => {
    const problem = 'No certificate for quay.example came from ca.example: too many failures.'
    const { host } = await shown({ ...got, state: 'failed', problem })
    expect(textOf(host)).toContain(problem)
    expect(textOf(host)).toMatch(/It is tried again by itself on/)
    expect(textsOf(host, 'button')).toContain('Try now')
  })
  test('for which a record is missing: which', async () => {
    const record = { name: '_acme-challenge.quay.example', value: 'k3y' }
    const { host } = await shown({ ...got, challenge: 'dns-01', state: 'waiting-for-dns', record })
    expect(textsOf(host, 'dd')).toEqual(['TXT', record.name, record.value])
  })
})
