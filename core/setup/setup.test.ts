import { describe, expect, test } from 'vitest'
import { emptySetup, Setup } from '../contracts/setup.ts'
import { REMEDIES } from '../catalogue/remedies.ts'
import { adaptSetup } from './adapt-setup.ts'
import { NotASetup, readSetupFile, writeSetupFile } from './read-setup-file.ts'

const NOW = '2026-11-26T10:00:00.000Z'
const FROM = {
  site: 'Quay',
  hosts: ['origin.quay.example:8080', 'quay.example', 'trial.quay.example'],
  version: 3,
}
const everything = Setup.parse({
  remedies: Object.fromEntries(REMEDIES.map(({ id }) => [id, { enabled: true }])),
})

describe('a setup as a file', () => {
  test('comes back as it went out', () => {
    const text = JSON.stringify(writeSetupFile(everything, FROM, 'the good one', NOW))
    const { file, migrated } = readSetupFile(JSON.parse(text), NOW)
    expect(file.setup).toEqual(everything)
    expect(file.from).toEqual(FROM)
    expect(migrated).toEqual([])
  })
  test('of the first form, the bare setup, is brought to the present one; settings it did not know have their defaults', () => {
    const { file, migrated } = readSetupFile({ remedies: { pageCache: { enabled: true } } }, NOW)
    expect(file.setup).toEqual(Setup.parse({ remedies: { pageCache: { enabled: true } } }))
    expect(migrated).toHaveLength(1)
  })
  test('of form 1 lacks where it came from', () => {
    const { file } = readSetupFile({ kind: 'zest-lamp-setup', formatVersion: 1, setup: {} }, NOW)
    expect(file).toMatchObject({ formatVersion: 2, from: null, setup: emptySetup() })
  })
  const written = writeSetupFile(emptySetup(), FROM, '', NOW)
  test.each<[string, unknown, RegExp]>([
    ['no object', 'remedies', /not a setup file/],
    ['a list', [], /not a setup file/],
    ['something else', { kind: 'recipe' }, /does not begin with/],
    [
      'a newer form',
      { ...written, formatVersion: 3, setup: { remedies: { telepathy: {} } } },
      /format 3.*newer Zest Lamp.*Update/,
    ],
    [
      'an unknown remedy',
      { ...written, setup: { remedies: { telepathy: { enabled: true } } } },
      /setup › remedies: there is no setting “telepathy”/,
    ],
    [
      'an unknown setting',
      { ...written, setup: { remedies: { images: { sparkle: 1 } } } },
      /images: there is no setting “sparkle”/,
    ],
    ['a value out of range', { ...written, setup: { remedies: { images: { quality: 900 } } } }, /images › quality/],
  ])('%s is refused with a sentence that says what to do', (_name, value, sentence) => {
    expect(() => readSetupFile(value, NOW)).toThrow(NotASetup)
    expect(() => readSetupFile(value, NOW)).toThrow(sentence)
  })
})

describe('a setup carried to another site', () => {
  const target = {
    origin: 'host.bay.example',
    live: 'bay.example',
    trial: 'trial.bay.example',
    paths: ['/', '/shop', '/shop/tickets'],
    otherHosts: ['tags.example'],
  }
  const setup = Setup.parse({
    remedies: {
      scriptOrder: {
        enabled: true,
        firstTouch: ['https://quay.example/chat.js', '/assets/own.js'],
        exceptions: [
          { by: 'address', value: '/shop', reason: 'till' },
          { by: 'address', value: '/harbour', reason: 'map' },
          { by: 'file', value: '//origin.quay.example:8080/a.js', reason: '' },
        ],
      },
      localCopies: { enabled: true, hosts: ['tags.example', 'chat.example'] },
      pageCache: { kinds: [{ name: 'Fares', paths: ['/fares/*'] }] },
    },
  })
  const { setup: moved, adapted, unfit } = adaptSetup(setup, FROM.hosts, target)
  test('has its own host names in place of those it came with', () => {
    expect(moved.remedies.scriptOrder.firstTouch).toEqual(['https://bay.example/chat.js', '/assets/own.js'])
    expect(moved.remedies.scriptOrder.exceptions.at(-1)?.value).toBe('//host.bay.example/a.js')
    expect(adapted.sort()).toEqual(['origin.quay.example:8080 → host.bay.example', 'quay.example → bay.example'])
  })
  test('lists what did not fit, and leaves out what could not do anything or would ask a host nobody named', () => {
    expect(unfit.map(({ value, what }) => `${value} ${what}`).sort()).toEqual([
      '/fares/* kept',
      '/harbour left-out',
      'chat.example left-out',
    ])
    expect(moved.remedies.localCopies.hosts).toEqual(['tags.example'])
    expect(moved.remedies.scriptOrder.exceptions.map(({ value }) => value)).toEqual([
      '/shop',
      '//host.bay.example/a.js',
    ])
  })
  test('to the same site stays as it is', () => {
    const same = {
      origin: FROM.hosts[0]!,
      live: FROM.hosts[1]!,
      trial: FROM.hosts[2]!,
      paths: ['/shop', '/harbour', '/fares/a'],
      otherHosts: ['tags.example', 'chat.example'],
    }
    expect(adaptSetup(setup, FROM.hosts, same)).toEqual({ setup, adapted: [], unfit: [] })
  })
})
