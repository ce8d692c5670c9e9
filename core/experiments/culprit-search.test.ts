import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import type { Suspect } from '../contracts/culprit.ts'
import { emptySetup, Setup } from '../contracts/setup.ts'
import { ddmin } from './ddmin.ts'
import { searchCulprits, SearchEnded } from './culprit-search.ts'
import { suspectDetails, suspectName, suspectRemedies, withoutSuspects } from './suspects.ts'

describe('delta debugging (Zeller, Hildebrandt 2002)', () => {
  test('their example: of eight changes 1, 7 and 8 fail together', async () => {
    const failing = [1, 7, 8]
    const isBad = async (applied: readonly number[]): Promise<boolean> => failing.every((one) => applied.includes(one))
    expect(await ddmin([1, 2, 3, 4, 5, 6, 7, 8], isBad)).toEqual(failing)
  })
  test('any one set that is bad together is found, and nothing besides', async () =>
    fc.assert(
      fc.asyncProperty(fc.subarray([...Array(24).keys()], { minLength: 1 }), async (failing) => {
        const isBad = async (applied: readonly number[]): Promise<boolean> =>
          failing.every((one) => applied.includes(one))
        expect(await ddmin([...Array(24).keys()], isBad)).toEqual(failing)
      }),
    ))
  test('a single culprit of n takes about two questions for each halving', async () =>
    fc.assert(
      fc.asyncProperty(fc.nat(63), async (culprit) => {
        let asked = 0
        const isBad = async (applied: readonly number[]): Promise<boolean> => (asked++, applied.includes(culprit))
        expect(await ddmin([...Array(64).keys()], isBad)).toEqual([culprit])
        expect(asked).toBeLessThanOrEqual(2 * Math.log2(64))
      }),
    ))
})

const remedy = (id: string): Suspect => ({ kind: 'remedy', remedy: id })
const file = (id: string, value: string): Suspect => ({ kind: 'exception', remedy: id, by: 'file', value })

/** A page that is bad as long as a rule says so of what is left out. */
const page = (
  files: Record<string, string[]>,
  isBad: (applied: (id: string, file?: string) => boolean) => boolean,
) => ({
  remedies: Object.keys(files).map(remedy),
  details: async (remedies: readonly Suspect[]) =>
    remedies.flatMap(({ remedy: id }) => files[id]!.map((one) => file(id, one))),
  isBad: async (leftOut: readonly Suspect[]) => {
    const out = new Set(leftOut.map(suspectName))
    return isBad((id, one) => !out.has(id) && (one === undefined || !out.has(`${id} file ${one}`)))
  },
})
const names = (suspects: readonly Suspect[]): string[] => suspects.map(suspectName).sort()
const FILES = { scriptOrder: ['/a.js', '/b.js', '/c.js', '/d.js'], lazy: ['/1.jpg', '/2.jpg'] }

describe('the search for what breaks a page', () => {
  test('one file of one remedy', async () => {
    const { kind, found } = await searchCulprits(page(FILES, (on) => on('scriptOrder', '/c.js')))
    expect(kind).toBe('found')
    expect(names(found)).toEqual(['scriptOrder file /c.js'])
  })
  test('two culprits that have nothing to do with each other', async () => {
    const { found } = await searchCulprits(page(FILES, (on) => on('scriptOrder', '/a.js') || on('lazy', '/2.jpg')))
    expect(names(found)).toEqual(['lazy file /2.jpg', 'scriptOrder file /a.js'])
  })
  test('order dependence: a script breaks when it comes before its library, whichever of the two is left out', async () => {
    // Both wait: dead until touched. Only one waits: it or the other comes too early. Neither waits: good.
    const { kind, found } = await searchCulprits(
      page(FILES, (on) => on('scriptOrder', '/a.js') || on('scriptOrder', '/b.js')),
    )
    expect(kind).toBe('found')
    expect(names(found)).toEqual(['scriptOrder file /a.js', 'scriptOrder file /b.js'])
  })
  test('bad only where two remedies meet: leaving out one of them is enough', async () => {
    const { found } = await searchCulprits(page(FILES, (on) => on('scriptOrder', '/a.js') && on('lazy', '/1.jpg')))
    expect(found).toHaveLength(1)
  })
  test('the culprit is the whole set: the remedy must stay off', async () => {
    const { kind, found, sentence } = await searchCulprits(page(FILES, (on) => on('scriptOrder')))
    expect(kind).toBe('whole')
    expect(names(found)).toEqual(['scriptOrder'])
    expect(sentence).toMatch(/must stay off/)
  })
  test('none of ours: bad without any remedy too', async () => {
    const { kind, sentence } = await searchCulprits(page(FILES, () => true))
    expect(kind).toBe('not-ours')
    expect(sentence).toMatch(/\(origin\) itself/)
  })
  test('nothing is the matter', async () =>
    expect((await searchCulprits(page(FILES, () => false))).kind).toBe('intact'))
  test('what ends it early comes through with its sentence', async () => {
    const over = {
      ...page(FILES, () => true),
      isBad: () => Promise.reject(new SearchEnded('too many loads')),
    }
    await expect(searchCulprits(over)).rejects.toThrow('too many loads')
  })
  test('whatever the rule, what is left out makes the page good, and no single one of it is needless', async () =>
    fc.assert(
      fc.asyncProperty(
        fc.array(fc.subarray(FILES.scriptOrder, { minLength: 1 }), { minLength: 1, maxLength: 3 }),
        async (sets) => {
          const made = page(FILES, (on) => sets.some((set) => set.every((one) => on('scriptOrder', one))))
          const { found } = await searchCulprits(made)
          expect(await made.isBad(found)).toBe(false)
          if (found.length > 1)
            for (const one of found) expect(await made.isBad(found.filter((other) => other !== one))).toBe(true)
        },
      ),
    ))
})

describe('suspects', () => {
  const live = emptySetup()
  const trial = Setup.parse({ remedies: { scriptOrder: { enabled: true }, minify: { enabled: true } } })
  test('are the remedies that trial has and live has not', () =>
    expect(names(suspectRemedies(live, trial))).toEqual(['minify', 'scriptOrder']))
  test('are then files by their own names, without version and without our digest, and switches', () => {
    const change = (remedy: string, item: string) => ({
      remedy,
      kind: 'changed' as const,
      item,
      sentence: '',
      bytesBefore: null,
      bytesAfter: null,
    })
    const details = suspectDetails(
      ['scriptOrder', 'minify'],
      [
        change('scriptOrder', '/assets/slider.z0123456789abcdef012.js?v=2'),
        change('scriptOrder', 'https://tags.example/t.js?x=1'),
        change('scriptOrder', '<script>inline'),
        change('scriptOrder', '/'),
        change('lazy', '/a.jpg'),
      ],
      trial,
      '/',
    )
    const files = details.filter(({ kind }) => kind === 'exception')
    expect(names(files)).toEqual(['scriptOrder file /assets/slider.js', 'scriptOrder file https://tags.example/t.js'])
    expect(names(details)).toContain('minify.scripts')
  })
  test('left out, they are exceptions with the reason, switches off, remedies as they are live', () => {
    const setup = withoutSuspects(
      trial,
      live,
      [file('scriptOrder', '/a.js'), { kind: 'part', remedy: 'minify', option: 'html' }],
      'broke the slider',
    )
    expect(setup.remedies.scriptOrder.exceptions).toEqual([{ by: 'file', value: '/a.js', reason: 'broke the slider' }])
    expect(setup.remedies.minify.html).toBe(false)
    expect(withoutSuspects(trial, live, [remedy('minify'), remedy('scriptOrder')], '')).toEqual(live)
    expect(Setup.parse(setup)).toEqual(setup)
  })
})
