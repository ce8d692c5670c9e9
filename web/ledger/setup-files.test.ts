import { nextTick } from 'vue'
import { afterEach, beforeEach, describe, expect, test, vi } from 'vitest'
import type { ImportedSetup, SetupFile } from '../../core/contracts/setup-file.ts'
import { emptySetup } from '../../core/contracts/setup.ts'
import { useProblems } from '../stores/problems.ts'
import { useSites } from '../stores/sites.ts'
import { aSite } from '../testing/a-site.ts'
import { answering, refusal, type Asked } from '../testing/answers.ts'
import { button, mounted, press, textOf, textsOf } from '../testing/mounted.ts'
import SetupFiles from './SetupFiles.vue'

const file: SetupFile = {
  kind: 'zest-lamp-setup',
  formatVersion: 2,
  exportedAt: '2026-11-26T08:00:00.000Z',
  from: null,
  note: '',
  setup: emptySetup(),
} as SetupFile
const found = (more: Partial<ImportedSetup> = {}): ImportedSetup => ({
  from: 'Quay, version 4',
  changes: ['Picture formats and sizes switched on'],
  adapted: [],
  unfit: [],
  migrated: [],
  applied: false,
  ...more,
})

const shown = async (...others: string[]): Promise<HTMLElement> => {
  const host = mounted(SetupFiles, { site: aSite(), versions: [], disabled: false })
  useSites().sites = [aSite(), ...others.map((id) => aSite({ id, name: `Site ${id}` }))]
  await nextTick()
  return host
}
const readIn = async (host: HTMLElement, text: string, size = text.length): Promise<void> => {
  const input = host.querySelector<HTMLInputElement>('input[type=file]')!
  const chosen = Object.assign(new File([text], 'setup.json'), { text: () => Promise.resolve(text) })
  Object.defineProperty(chosen, 'size', { value: size })
  Object.defineProperty(input, 'files', { value: [chosen], configurable: true })
  input.dispatchEvent(new Event('change'))
  await nextTick()
}
const looked = (host: HTMLElement): string => textOf(host.querySelector('[role=status]'))

let asked: Asked[]
beforeEach(
  () =>
    (asked = answering({
      'POST /sites/quay/setup-file': (sent: { apply: boolean }) => found({ applied: sent.apply }),
    })),
)
afterEach(() => vi.unstubAllGlobals())

describe('a setup file that is read in', () => {
  test('is looked at first: what it would change is said, and nothing is changed', async () => {
    const host = await shown()
    await readIn(host, JSON.stringify(file))
    await expect.poll(() => looked(host)).toMatch(/From Quay, version 4 would change in the trial of Quay:/)
    expect(textsOf(host, '[role=status] li')).toContain('Picture formats and sizes switched on')
    expect(asked).toEqual([{ what: 'POST /sites/quay/setup-file', body: { file, apply: false } }])
  })
  test('goes into trial on demand, never live', async () => {
    const host = await shown()
    await readIn(host, JSON.stringify(file))
    await expect.poll(() => host.querySelectorAll('[role=status] button')).not.toHaveLength(0)
    host.querySelector<HTMLButtonElement>('[role=status] button')!.click()
    await expect.poll(() => looked(host)).toMatch(/is now in the trial of Quay; live is unchanged/)
    expect(asked[1]).toEqual({ what: 'POST /sites/quay/setup-file', body: { file, apply: true } })
  })
  test.each([
    ['{"kind":', 100, 'This file is not JSON'],
    ['{}', 5_000_000, 'too large'],
  ])('that cannot be one is refused here, and nothing is sent', async (text, size, words) => {
    const host = await shown()
    await readIn(host, text, size)
    await expect.poll(() => useProblems().current?.detail).toContain(words)
    expect(asked).toEqual([])
  })
  test('that control refuses leaves the reason and no offer to apply it', async () => {
    answering({ 'POST /sites/quay/setup-file': refusal('This setup is of a newer form.') })
    const host = await shown()
    await readIn(host, JSON.stringify(file))
    await expect.poll(() => useProblems().current?.detail).toBe('This setup is of a newer form.')
    expect(host.querySelector('[role=status]')).toBeNull()
  })
})

describe('another site', () => {
  test('is offered only when there is one', async () => {
    expect(textsOf(await shown(), 'button')).not.toContain('Copy to it')
    expect(button(await shown('ferry'), 'Copy to it').disabled).toBe(true)
  })
})

describe('saving as a file', () => {
  test('asks for the trial unless a version was chosen', async () => {
    const calls = answering({ 'GET /sites/quay/setup-file': refusal('Not now.') })
    await press(await shown(), 'Export')
    await expect.poll(() => calls.map(({ what }) => what)).toEqual(['GET /sites/quay/setup-file'])
  })
})
