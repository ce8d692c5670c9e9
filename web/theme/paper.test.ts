import { defineComponent, h, nextTick } from 'vue'
import { useTheme } from 'vuetify'
import { expect, test } from 'vitest'
import { mounted, textOf } from '../testing/mounted.ts'
import { useLightPaper } from './paper.ts'

test('what is printed is light, whatever the screen is, and the screen comes back', async () => {
  const host = mounted(
    defineComponent(() => {
      useLightPaper()
      const theme = useTheme()
      theme.change('dark')
      return () => h('p', theme.global.name.value)
    }),
  )
  const told = async (event: string): Promise<string> => {
    window.dispatchEvent(new Event(event))
    await nextTick()
    return textOf(host)
  }
  expect(textOf(host)).toBe('dark')
  expect(await told('beforeprint')).toBe('light')
  expect(await told('beforeprint')).toBe('light')
  expect(await told('afterprint')).toBe('dark')
})
