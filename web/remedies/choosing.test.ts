import { nextTick } from 'vue'
import { afterEach, describe, expect, test, vi } from 'vitest'
import type { PageChanges } from '../../core/contracts/delivery.ts'
import { emptySetup, type Setup } from '../../core/contracts/setup.ts'
import { startedFrom, STARTING_POINTS } from '../../core/catalogue/starting-points.ts'
import { aSite } from '../testing/a-site.ts'
import { answering } from '../testing/answers.ts'
import { button, mounted, press, textOf, textsOf } from '../testing/mounted.ts'
import PageChangesPanel from './PageChangesPanel.vue'
import StartingPoints from './StartingPoints.vue'

afterEach(() => vi.unstubAllGlobals())

describe('starting points', () => {
  const shown = async (trial: Setup) => {
    const told: Setup[] = []
    mounted(StartingPoints, { trial, modelValue: true, onChange: (setup: Setup) => told.push(setup) })
    await expect.poll(() => document.querySelector('.dialog')).not.toBeNull()
    return { dialog: document.querySelector('.dialog')!, told }
  }
  const [first] = STARTING_POINTS
  const changes = (dialog: Element): string[] => textsOf(dialog, 'ul li')
  test('say what changes and what to look at before anything goes into the trial', async () => {
    const { dialog, told } = await shown(emptySetup())
    expect(changes(dialog)).toHaveLength(first!.remedies.length)
    expect(textsOf(dialog, 'dt').length).toBeGreaterThan(0)
    expect(told).toEqual([])
    dialog.dispatchEvent(new Event('submit'))
    await nextTick()
    expect(first!.remedies.every((id) => told[0]!.remedies[id].enabled)).toBe(true)
  })
  test('that are in trial already say so, and the next one is proposed', async () => {
    const { dialog } = await shown(startedFrom(emptySetup(), first!))
    expect(textsOf(dialog, 'label').filter((label) => label.includes('(all on in trial)'))).toHaveLength(1)
    expect(changes(dialog).length).toBeGreaterThan(0)
  })
  test('that are all in trial change nothing', async () => {
    const { dialog } = await shown(startedFrom(emptySetup(), STARTING_POINTS.at(-1)!))
    expect(textOf(dialog)).toContain('Nothing: all of it is on in the trial.')
    expect(button(dialog, 'Try in the trial').disabled).toBe(true)
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
