import { describe, expect, test } from 'vitest'
import type { Findings, RemedyEvidence } from '../contracts/findings.ts'
import { emptySetup, Setup } from '../contracts/setup.ts'
import { REMEDIES } from '../catalogue/remedies.ts'
import { nowFor, remedyRows, type ShownFor, type Worth } from './remedy-rows.ts'

const phone: ShownFor = { pageId: 'home', path: '/', visitorId: 'phone', visitorName: 'Phone' }
const times = (lcpMs: number) => ({ fcpMs: 0, lcpMs, loadedMs: 0 })
const evidence = (remedy: string, lcpMs: number, more: Partial<RemedyEvidence> = {}): RemedyEvidence => ({
  remedy,
  sentence: '',
  applies: true,
  items: [],
  gains: [{ pageId: 'home', visitorId: 'phone', gain: times(lcpMs) }],
  ...more,
})
const findings = (...remedies: RemedyEvidence[]): Findings => ({
  looks: [
    {
      pageId: 'home',
      path: '/',
      visitorId: 'phone',
      at: '',
      side: 'live',
      now: times(3000),
      detailedLcpMs: 2000,
      withAll: times(1000),
      withRules: times(2000),
      withStoredPages: times(1500),
    },
    {
      pageId: 'shop',
      path: '/shop',
      visitorId: 'laptop',
      at: '',
      side: 'origin',
      now: times(900),
      detailedLcpMs: 900,
      withAll: times(500),
      withRules: times(900),
      withStoredPages: times(700),
    },
  ],
  findings: [{ id: 'server', title: 'Slow', evidence: '', remedies: ['pageCache', 'lazy'], gains: [] }],
  remedies,
  limits: [],
})
const rows = (found: Findings, more: object = {}, shownFor = phone) =>
  remedyRows(
    {
      findings: found,
      ledger: [],
      trial: emptySetup(),
      live: emptySetup(),
      traits: { secure: true, otherAccelerator: undefined, measured: true },
      ...more,
    },
    shownFor,
  )
const row = (id: string, ...args: Parameters<typeof rows>) => rows(...args).find(({ remedy }) => remedy.id === id)!

describe('rows of remedies', () => {
  test('are one for each remedy, the largest predicted gain first, otherwise in the usual order', () => {
    const ids = rows(findings(evidence('images', 500), evidence('lazy', 900))).map(({ remedy }) => remedy.id)
    expect(ids.slice(0, 2)).toEqual(['lazy', 'images'])
    expect(ids.slice(2)).toEqual(REMEDIES.map(({ id }) => id).filter((id) => id !== 'lazy' && id !== 'images'))
  })
  test('show the gain of the chosen page, and where that was not measured the median of the others', () => {
    const gains = [100, 700, 300].map((lcpMs, at) => ({ pageId: `p${at}`, visitorId: 'phone', gain: times(lcpMs) }))
    const found = findings(evidence('images', 0, { gains }))
    expect(row('images', found, {}, { ...phone, pageId: 'p1' }).predictedMs).toBe(700)
    expect(row('images', found).predictedMs).toBe(300)
    expect(row('images', found, {}, { ...phone, visitorId: 'tablet' }).predictedMs).toBeNull()
  })
  test('carry a finding with the first remedy that answers it', () => {
    expect(row('pageCache', findings()).findings.map(({ id }) => id)).toEqual(['server'])
    expect(row('lazy', findings()).findings).toEqual([])
  })
  const on = Setup.parse({ remedies: { images: { enabled: true } } })
  test.each<[string, string, Worth, Findings, object]>([
    ['applies and gains', 'images', 'worth-trying', findings(evidence('images', 500)), {}],
    ['is a must, whatever it gains here', 'minify', 'worth-trying', findings(evidence('minify', 0)), {}],
    ['applies and gains nothing', 'fonts', 'little-to-gain', findings(evidence('fonts', 5)), {}],
    ['finds nothing to do', 'images', 'not-needed', findings(evidence('images', 0, { applies: false })), {}],
    ['is what visitors get', 'images', 'live-already', findings(evidence('images', 500)), { live: on }],
    ['was never measured', 'images', 'not-measured', findings(), {}],
  ])('a remedy that %s: %s is %s', (_why, id, worth, found, more) => expect(row(id, found, more).worth).toBe(worth))
  test('say what is on in trial and live', () => {
    expect(row('images', findings(), { trial: on })).toMatchObject({ inTrial: true, isLive: false })
    expect(row('images', findings(), { live: on })).toMatchObject({ inTrial: false, isLive: true })
  })
})

describe('how soon it is now', () => {
  test.each([
    [phone, 3000],
    [{ ...phone, pageId: 'other' }, 3000],
    [{ ...phone, pageId: 'home', visitorId: 'laptop' }, 900],
    [{ ...phone, visitorId: 'tablet' }, undefined],
  ])('%o', (shownFor, ms) => expect(nowFor(findings(), shownFor)?.now.lcpMs).toBe(ms))
})
