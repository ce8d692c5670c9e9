import { nextTick } from 'vue'
import { afterEach, describe, expect, test, vi } from 'vitest'
import type { PageKind } from '../../core/contracts/setup.ts'
import type { RemedyOption } from '../../core/catalogue/remedy.ts'
import { button, choose, chosenIn, field, leave, mounted, press, textOf, textsOf, type } from '../testing/mounted.ts'
import KindsField from './KindsField.vue'
import OptionField from './OptionField.vue'

afterEach(() => vi.unstubAllGlobals())

const option = (input: RemedyOption['input']): RemedyOption =>
  ({ key: 'k', label: 'Setting', hint: 'Why.', input }) as RemedyOption
const shown = (input: RemedyOption['input'], value: unknown) => {
  const told: unknown[] = []
  const host = mounted(OptionField, {
    option: option(input),
    value,
    settings: {},
    onChange: (next: unknown) => told.push(next),
  })
  return { host, told }
}

describe('a duration', () => {
  test.each([
    [90, '90', 'seconds'],
    [120, '2', 'minutes'],
    [7200, '2', 'hours'],
    [172_800, '2', 'days'],
    [90_000, '25', 'hours'],
    [0, '0', 'hours'],
  ])('of %i s stands as %s %s: the largest unit that is whole', (seconds, amount, unit) => {
    const { host } = shown({ kind: 'duration' }, seconds)
    expect([field(host, 'Setting').value, chosenIn(host, 'Unit')]).toEqual([amount, unit])
  })
  test('is told in seconds, whatever unit it was given in', async () => {
    const { host, told } = shown({ kind: 'duration' }, 7200)
    await leave(field(host, 'Setting'), '3')
    await choose(host, 'Unit', 'days')
    expect(told).toEqual([3 * 3600, 2 * 86_400])
  })
  test.each(['-1', 'soon'])('of "%s" is not taken', async (text) => {
    const { host, told } = shown({ kind: 'duration' }, 60)
    field(host, 'Setting').type = 'text'
    await leave(field(host, 'Setting'), text)
    expect(told).toEqual([])
  })
})

describe('a number', () => {
  test.each([
    ['5', 5],
    ['-3', 1],
    ['700', 100],
  ])('%s becomes %i within its bounds', async (text, number) => {
    const { host, told } = shown({ kind: 'number', unit: '%', least: 1, most: 100 }, 50)
    await leave(field(host, 'Setting'), text)
    expect(told).toEqual([number])
  })
})

test('patterns are lines; empty ones and spaces around are nothing', async () => {
  const { host, told } = shown({ kind: 'patterns', placeholder: '' }, ['a.js'])
  const area = host.querySelector('textarea')!
  expect(area.value).toBe('a.js')
  await leave(area, ' a.js \n\n b.js')
  expect(told).toEqual([['a.js', 'b.js']])
})
test('a switch tells on and off', async () => {
  const { host, told } = shown({ kind: 'switch' }, false)
  host.querySelector('input')!.click()
  await nextTick()
  expect(told).toEqual([true])
})
test('a choice tells what stands for it, not its words', async () => {
  const { host, told } = shown(
    {
      kind: 'choice',
      choices: [
        { value: 'defer', title: 'is deferred' },
        { value: 'end', title: 'moves to the end' },
      ],
    },
    'defer',
  )
  await choose(host, 'Setting', 'moves to the end')
  expect(told.at(-1)).toBe('end')
})

describe('kinds of pages', () => {
  const story: PageKind = {
    name: 'Stories',
    paths: ['/stories/*'],
    lifetimeS: 7200,
    overrule: true,
    ignoredCookies: ['seen'],
    sessionCookies: [],
  }
  const plain: PageKind = {
    name: 'Plain',
    paths: ['/plain'],
    lifetimeS: null,
    overrule: false,
    ignoredCookies: [],
    sessionCookies: [],
  }
  const list = () => {
    const told: PageKind[][] = []
    const host = mounted(KindsField, {
      kinds: [story, plain],
      label: 'Kinds',
      hint: '',
      onChange: (next: PageKind[]) => told.push(next),
    })
    return { host, told }
  }
  const submit = () => document.querySelector('.dialog')!.dispatchEvent(new Event('submit'))

  test('tell their rules in words', () => {
    const rows = textsOf(list().host, 'tbody tr td:nth-child(3), tbody tr td:nth-child(4)')
    expect(rows).toEqual([
      '2 hours',
      'stored even though your server (origin) forbids it; shared by visitors with seen',
      'as other pages',
      'none',
    ])
  })
  test('one is changed in its place; the order says which counts', async () => {
    const { host, told } = list()
    host.querySelector<HTMLElement>('tbody tr button')!.click()
    await expect.poll(() => document.querySelector('.dialog')).not.toBeNull()
    await type(field(document.body, 'Name'), 'Tales')
    submit()
    expect(told).toEqual([[{ ...story, name: 'Tales' }, plain]])
  })
  test('one more comes last, needs a name and a path, and asks for the privacy check before it overrules', async () => {
    const { host, told } = list()
    await press(host, 'Add a kind')
    await expect.poll(() => document.querySelector('.dialog')).not.toBeNull()
    const dialog = document.querySelector('.dialog')!
    expect(button(dialog, 'Try in the trial').disabled).toBe(true)
    await type(field(dialog, 'Name'), 'Fares')
    const paths = dialog.querySelector('textarea')!
    paths.value = '/fares\n\n/prices'
    paths.dispatchEvent(new Event('input'))
    expect(textOf(dialog)).not.toContain('privacy check')
    field(dialog, 'Store for signed-out visitors even if your server (origin) forbids it or sets cookies').click()
    await expect.poll(() => textOf(dialog)).toContain('privacy check')
    submit()
    expect(told[0]?.[2]).toEqual({
      name: 'Fares',
      paths: ['/fares', '/prices'],
      lifetimeS: null,
      overrule: true,
      ignoredCookies: [],
      sessionCookies: [],
    })
  })
  test('one is taken out by itself', async () => {
    const { host, told } = list()
    await press(host, 'Remove')
    expect(told).toEqual([[plain]])
  })
})
