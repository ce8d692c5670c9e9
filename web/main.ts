import './theme/fonts.css'
import { createPinia } from 'pinia'
import { createApp } from 'vue'
import App from './shell/App.vue'
import { whenSignedOut } from './api/client.ts'
import { router } from './router.ts'
import { useSession } from './stores/session.ts'
import { vuetify } from './theme/vuetify.ts'
import './theme/base.css'

const app = createApp(App)
app.use(createPinia()).use(router).use(vuetify)
whenSignedOut(() => {
  useSession().forget()
  const { fullPath, meta } = router.currentRoute.value
  if (meta['open'] !== true) void router.replace({ name: 'sign-in', query: { to: fullPath } })
})
app.mount('#app')
