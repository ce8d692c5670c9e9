import { onBeforeUnmount, onMounted } from 'vue'
import { useTheme } from 'vuetify'

/** On paper everything is dark on light: browsers leave backgrounds out when they print, and light words would vanish. */
export const useLightPaper = (): void => {
  const theme = useTheme()
  let onScreen: string | undefined
  const before = (): void => {
    onScreen ??= theme.global.name.value
    theme.change('light')
  }
  const after = (): void => {
    if (onScreen !== undefined) theme.change(onScreen)
    onScreen = undefined
  }
  onMounted(() => {
    window.addEventListener('beforeprint', before)
    window.addEventListener('afterprint', after)
  })
  onBeforeUnmount(() => {
    window.removeEventListener('beforeprint', before)
    window.removeEventListener('afterprint', after)
  })
}
