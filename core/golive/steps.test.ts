import { describe, expect, test } from 'vitest'
import type { DnsAnswer } from '../contracts/going-live.ts'
import { certificateStep, dnsStep, proofStep, readyStep, wayBackStep, type Proof, type ReadyFacts } from './steps.ts'

const facts: ReadyFacts = {
  undecided: [],
  pageCache: 'on',
  privacyNeeded: undefined,
  accelerator: undefined,
  originHost: 'origin.example',
  changingNames: ['quay.example', 'www.quay.example'],
}
describe('ready', () => {
  test.each<[string, Partial<ReadyFacts>, string, RegExp]>([
    ['everything is decided', {}, 'done', /stays reachable at origin\.example/],
    ['the trial is open', { undecided: ['Brotli on'] }, 'open', /Keep the trial or back out/],
    ['nothing is stored', { pageCache: 'off' }, 'open', /stores no pages yet/],
    ['the origin is asked by a name that changes', { originHost: 'www.quay.example' }, 'problem', /Fix this/],
    ['a privacy check is missing', { privacyNeeded: 'Run the privacy check.' }, 'problem', /Fix this/],
    ['another accelerator is at work', { accelerator: 'Another cache.' }, 'problem', /Fix this/],
  ])('%s', (_what, more, state, sentence) => {
    const step = readyStep({ ...facts, ...more })
    expect([step.state, step.sentence]).toEqual([state, expect.stringMatching(sentence)])
    if (state === 'problem') expect(step.evidence).toHaveLength(1)
  })
})

describe('the certificate', () => {
  const now = Date.UTC(2026, 10, 1)
  const until = (days: number) => new Date(now + days * 86_400_000).toISOString()
  test.each<[string, { names: string[]; validUntil: string } | null, boolean, string]>([
    ['none', null, false, 'open'],
    ['for the host', { names: ['www.quay.example'], validUntil: until(60) }, false, 'done'],
    [
      'for all names of one level (RFC 6125 §6.4.3)',
      { names: ['*.quay.example'], validUntil: until(60) },
      true,
      'done',
    ],
    ['for a level above', { names: ['*.example'], validUntil: until(60) }, true, 'problem'],
    ['for another host', { names: ['other.example'], validUntil: until(60) }, true, 'problem'],
    ['that has run out', { names: ['www.quay.example'], validUntil: until(-1) }, true, 'problem'],
    ['that runs out soon', { names: ['www.quay.example'], validUntil: until(3) }, false, 'problem'],
    ['that runs out soon and is renewed', { names: ['www.quay.example'], validUntil: until(3) }, true, 'done'],
  ])('%s', (_what, certificate, renews, state) =>
    expect(certificateStep('www.quay.example', certificate, renews, now).state).toBe(state),
  )
})

describe('the DNS', () => {
  const target = { addresses: ['192.0.2.7'], alias: null }
  const answer = (state: DnsAnswer['state']): DnsAnswer => ({ resolver: 'r', addresses: [], ttl: 60, state })
  test.each<[DnsAnswer['state'][], string, RegExp]>([
    [['new', 'new', 'silent'], 'done', /Every name server/],
    [['old', 'none'], 'open', /No name server shows the new address yet/],
    [['new', 'old', 'both'], 'open', /1 of 3/],
    [['silent'], 'problem', /No name server/],
  ])('seen as %j is %s', (states, state, sentence) => {
    const step = dnsStep(target, states.map(answer))
    expect([step.state, step.sentence]).toEqual([state, expect.stringMatching(sentence)])
    expect(step.evidence).toHaveLength(states.length)
  })
  test('cannot be asked before it is known where to lead, and says why it cannot be', () => {
    expect(dnsStep(null, []).state).toBe('open')
    expect(dnsStep(target, 'No name server is known.')).toMatchObject({
      state: 'problem',
      sentence: 'No name server is known.',
    })
  })
})

describe('the proof from outside', () => {
  const good: Proof = {
    ...{ name: 'Zest Lamp', address: '192.0.2.7', failure: undefined, protocol: 'h2' },
    ...{ isStored: true, changesShow: true },
  }
  test.each<[string, Proof[], string]>([
    ['nothing to ask', [], 'open'],
    ['all is well', [good], 'done'],
    ['one edge does not answer', [good, { ...good, name: 'Isle', failure: 'Nothing answers.' }], 'problem'],
    ['nobody answers', [{ ...good, failure: 'Nothing answers.' }], 'problem'],
    ['pages are not stored', [{ ...good, isStored: false }], 'open'],
    ['changes do not show', [{ ...good, changesShow: false }], 'open'],
  ])('%s', (_what, proofs, state) => {
    const step = proofStep(proofs)
    expect(step.state).toBe(state)
    expect(step.evidence).toHaveLength(proofs.length)
  })
})

test('the way back is there once the records were kept', () => {
  expect(wayBackStep(null).state).toBe('open')
  const before = { zone: 'quay.example', records: [], savedAt: '2026-11-01T10:00:00.000Z' }
  expect(wayBackStep(before)).toMatchObject({ state: 'done', sentence: expect.stringContaining('2026-11-01') })
})
