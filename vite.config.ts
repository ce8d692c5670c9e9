import vue from '@vitejs/plugin-vue'
import { defineConfig } from 'vite'
import vuetify from 'vite-plugin-vuetify'

/** The interface. In development, `npx vite` shows it against a Zest Lamp that runs on the usual port. */
export default defineConfig({
  root: 'web',
  plugins: [vue(), vuetify({ autoImport: true })],
  build: { outDir: '../dist/web', emptyOutDir: true, chunkSizeWarningLimit: 900 },
  server: { proxy: { '/api': `http://127.0.0.1:${process.env['ZEST_PORT'] ?? 8400}` } },
})
