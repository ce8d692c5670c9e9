import vue from '@vitejs/plugin-vue'
import { defineConfig } from 'vite'
import vuetify from 'vite-plugin-vuetify'
import { firstLoad } from './scripts/first-load.ts'
import { leftOut } from './scripts/left-out.ts'

const control = `http://127.0.0.1:${process.env['ZEST_PORT'] ?? 8400}`

/** What most forms are made of. */
const FIELDS =
  /vuetify[\\/]lib[\\/]components[\\/](?:VInput|VLabel|VMessages|VCheckbox|VSwitch|VSelectionControl|VSelectionControlGroup)[\\/]/

/** The interface. `npm run dev` shows it against a Zest Lamp on the usual port, which takes its requests for those of its own pages. */
export default defineConfig({
  root: 'web',
  plugins: [vue(), vuetify({ autoImport: true }), firstLoad(), leftOut()],
  // Components are written with setup functions only.
  define: { __VUE_OPTIONS_API__: 'false', __VUE_PROD_DEVTOOLS__: 'false' },
  build: {
    outDir: '../dist/web',
    emptyOutDir: true,
    chunkSizeWarningLimit: 900,
    // Few large files compress better than many small ones, and every place needs these.
    rolldownOptions: {
      output: {
        codeSplitting: {
          groups: [
            { name: 'libraries', test: /node_modules[\\/](?:vue|@vue|vue-router|pinia|zod)[\\/]/, priority: 3 },
            // What one place alone needs is loaded there.
            {
              name: 'contracts',
              test: /core[\\/]contracts[\\/](?!warm-up|planner|objects|certificates|going-live|edges|regions|load-tests|rented-cdn|delivery-config|culprit|guided|report|quick-check|recording|simulations|setup-file|privacy|safety|server-rules|server-pages|file-connections|site-databases|clean-up|database-backups|picture-library|calendar|site-habits|compression-check)/,
              priority: 2,
            },
            { name: 'fields', test: FIELDS, priority: 1 },
            // Long texts, read where a remedy is opened.
            { name: 'guides', test: /core[\\/]catalogue[\\/][\w-]*guides\.ts/, priority: 1 },
            { name: 'shared', minShareCount: 10, priority: 0 },
          ],
        },
      },
    },
  },
  server: {
    proxy: {
      '/api': {
        target: control,
        changeOrigin: true,
        configure: (proxy) => proxy.on('proxyReq', (request) => request.setHeader('origin', control)),
      },
    },
  },
})
