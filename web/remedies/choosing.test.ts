// @vitest-environment jsdom
import { nextTick } from 'vue'
import { afterEach, describe, expect, test, vi } from 'vitest'
import type { PageChanges } from '../../core/contracts/delivery.ts'
import { emptySetup, type Setup } from '../../core/contracts/setup.ts'
import { STARTING_POINTS } from '../../core/catalogue/starting-points.ts'
import { aSite } from '../testing/a-site.ts'
import { answering } from '../testing/answers.ts'
import { button, mounted, press, textOf, textsOf } from '../testing/mounted.ts'
import PageChangesPanel from './PageChangesPanel.vue'
import StartingPoints from './StartingPoints.vue'

afterEach(() => vi.unstubAllGlobals())

describe('starting points', () => {
  const shown = (trial: Setup) => {
    const told: Setup[] = []
    const host = mounted(StartingPoints, { trial, disabled: false, onChange: (setup: Setup) => told.push(setup) })
    return { host, told }
  }
  const [first] = STARTING_POINTS
  test('say what changes and what to look at before anything goes into the trial', async () => {
    const { host, told } = shown(emptySetup())
    host.querySelector<HTMLElement>('.points button')!.click()
    await expect.poll(() => document.querySelector('.dialog')).not.toBeNull()
    const dialog = document.querySelector('.dialog')!
    expect(textsOf(dialog, 'li')).toHaveLength(first!.remedies.length)
    expect(textsOf(dialog, 'dt').length).toBeGreaterThan(0)
    expect(told).toEqual([])
    dialog.dispatchEvent(new Event('submit'))
    await nextTick()
    expect(first!.remedies.every((id) => told[0]!.remedies[id].enabled)).toBe(true)
  })
  test('that are in trial already say so', async () => {
    const { host, told } = shown(emptySetup())
    host.querySelector<HTMLElement>('.points button')!.click()
    await expect.poll(() => document.querySelector('.dialog')).not.toBeNull()
    document.querySelector('.dialog')!.dispatchEvent(new Event('submit'))
    await nextTick()
    const again = shown(told[0]!).host
    expect([
      textsOf(again, '.points button')[0],
      again.querySelector<HTMLButtonElement>('.points button')!.disabled,
    ]).toEqual(['All on in trial', true])
  })
})

describe('what the trial does to a page', () => {
  const changes: PageChanges = {
    untouched: null,
    bytesBefore: 20_000,
    bytesAfter: 15_000,
    changes: [
      {
        remedy: 'minify',
        kind: 'changed',
        item: '/a.js?v=2',
        sentence: 'Smaller.',
        bytesBefore: 9000,
        bytesAfter: 4000,
      },
      { remedy: 'minify', kind: 'left', item: '/b.js', sentence: 'Left alone.', bytesBefore: null, bytesAfter: null },
    ],
  } as PageChanges
  const looked = async (answer: PageChanges) => {
    const told: unknown[] = []
    const asked = answering({ 'POST /sites/quay/changes': answer })
    const host = mounted(PageChangesPanel, {
      site: aSite(),
      disabled: false,
      onLeaveOut: (...what: unknown[]) => told.push(what),
    })
    await press(host, 'Look at the changes')
    await expect.poll(() => host.querySelectorAll('[role=status]').length).toBeGreaterThan(0)
    await expect.poll(() => textOf(host)).not.toContain('Fetching the page')
    return { asked, host, told }
  }
  test('is looked at as sent to a phone first, and told change by change', async () => {
    const { asked, host } = await looked(changes)
    expect(asked[0]!.body).toEqual({ channel: 'trial', path: '/', device: 'phone' })
    expect(textOf(host.querySelector('[role=status]'))).toContain('1 change, 1 thing left alone')
    expect(textsOf(host, 'tbody tr:first-child td').slice(0, 4)).toEqual(['/a.js?v=2', 'Smaller.', '9.0 KB', '4.0 KB'])
  })
  test('is left out by file, whatever its version, or by page; each with where it was seen', async () => {
    const { host, told } = await looked(changes)
    const [file] = [...host.querySelectorAll('button')].filter((one) =>
      one.getAttribute('aria-label')?.startsWith('Exclude /a.js'),
    )
    file!.click()
    await press(host, 'Exclude this page')
    expect(told).toEqual([
      ['minify', { by: 'file', value: '/a.js', reason: 'excluded after looking at /' }],
      ['minify', { by: 'address', value: '/', reason: 'excluded after looking at it' }],
    ])
  })
  test('that was left alone cannot be left out once more', async () => {
    const { host } = await looked(changes)
    expect(textsOf(host, 'tr.left button')).toEqual([])
  })
  test('that is nothing says why', async () => {
    const { host } = await looked({ ...changes, untouched: 'No remedy of the trial changes pages.', changes: [] })
    expect(textOf(host.querySelector('[role=status]'))).toBe('No remedy of the trial changes pages.')
    expect(button(host, 'Look at the changes').disabled).toBe(false)
  })
})
