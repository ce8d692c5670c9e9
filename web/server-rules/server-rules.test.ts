// @vitest-environment jsdom
import { expect, test } from 'vitest'
import { nextTick } from 'vue'
import { withBlock } from '../../core/server-rules/marked-block.ts'
import { aSite } from '../testing/a-site.ts'
import { mounted, textOf } from '../testing/mounted.ts'
import ServerRulesPanel from './ServerRulesPanel.vue'

const paste = async (host: HTMLElement, file: string): Promise<void> => {
  const area = host.querySelector('textarea')!
  area.value = file
  area.dispatchEvent(new Event('input'))
  await nextTick()
}
const button = (host: HTMLElement, words: string): HTMLButtonElement | undefined =>
  [...host.querySelectorAll('button')].find((one) => one.textContent!.includes(words))

test('each line of each rule says what it does', () => {
  const host = mounted(ServerRulesPanel, { site: aSite() })
  expect(textOf(host)).toContain('Compression')
  expect(textOf(host)).toContain('FileETag MTime Size')
  expect(textOf(host)).toContain('The entity tag of a file is the same on all servers that hold it')
  expect(textOf(host)).toContain('A new file.')
})
test('a present file is read: older rules are named with their line, and only our block changes', async () => {
  const host = mounted(ServerRulesPanel, { site: aSite() })
  await paste(host, '# mine\nExpiresDefault "access plus 1 day"\n')
  expect(textOf(host)).toContain('Line 2, browser lifetimes by type: ExpiresDefault')
  expect(textOf(host)).toContain('The block is added at the beginning; every other byte of the file stays.')
  expect(button(host, 'without them')).toBeUndefined()
  await paste(host, withBlock('# mine\n', 'FileETag None').replace('FileETag None', 'FileETag All'))
  expect(textOf(host)).toContain(
    'The block in lines 1 to 3 is replaced; every other byte stays. It has been changed by hand',
  )
  expect(button(host, 'without them')).toBeDefined()
})
test('where it is not clear what is ours, nothing is offered', async () => {
  const host = mounted(ServerRulesPanel, { site: aSite() })
  await paste(host, withBlock('', 'FileETag None').replace('# Zest Lamp: rules end', ''))
  expect(textOf(host)).toContain('one of its two comment lines is missing')
  expect(button(host, 'Save the file')!.disabled).toBe(true)
})
