import { nextTick } from 'vue'
import { describe, expect, test } from 'vitest'
import { mounted, textsOf, type } from '../testing/mounted.ts'
import CommandPalette from './CommandPalette.vue'

const opened = async () => {
  const ran: string[] = []
  mounted(CommandPalette, {
    commands: [
      { title: 'Measure', hint: 'baseline', run: () => ran.push('measure') },
      { title: 'Remedies', run: () => ran.push('remedies') },
      { title: 'Retest the trial', hint: 'measure', run: () => ran.push('retest') },
    ],
  })
  window.dispatchEvent(new KeyboardEvent('keydown', { key: 'k', ctrlKey: true }))
  await expect.poll(() => document.querySelector('#palette-field')).not.toBeNull()
  const input = document.querySelector<HTMLInputElement>('#palette-field')!
  const key = async (name: string) => {
    input.dispatchEvent(new KeyboardEvent('keydown', { key: name }))
    await nextTick()
  }
  return { ran, input, key }
}
const options = (): string[] => textsOf(document.body, '[role=option]')

describe('everything by keyboard', () => {
  test('Ctrl+K opens it, words narrow it, Enter runs the first', async () => {
    const { ran, input, key } = await opened()
    await type(input, 'measure')
    expect(options()).toEqual(['Measure baseline', 'Retest the trial measure'])
    await key('Enter')
    expect(ran).toEqual(['measure'])
  })
  test('arrows go round, and the field names the one they stand on', async () => {
    const { ran, input, key } = await opened()
    await key('ArrowUp')
    expect(input.getAttribute('aria-activedescendant')).toBe('command-2')
    await key('ArrowDown')
    await key('ArrowDown')
    await key('Enter')
    expect(ran).toEqual(['remedies'])
  })
  test('by words that nothing has, Enter does nothing', async () => {
    const { ran, input, key } = await opened()
    await type(input, 'zzz')
    expect(options()).toEqual(['No matches'])
    await key('ArrowDown')
    await key('Enter')
    expect(ran).toEqual([])
  })
})
