import { existsSync, readFileSync } from 'node:fs'
import { join } from 'node:path'

/** For tests: pages, style sheets and scripts that real packages ship, written by many hands. */

const folder = join(import.meta.dirname, '../../node_modules')

const read = (path: string): { name: string; text: string } => {
  const file = join(folder, path)
  if (!existsSync(file)) throw new Error(`${path} is not installed. Run "npm ci".`)
  return { name: path, text: readFileSync(file, 'utf8') }
}

export const REAL_PAGES = [
  'reveal.js/demo.html',
  'reveal.js/plugin/notes/speaker-view.html',
  'reveal.js/index.html',
  'impress.js/index.html',
  'jquery-ui-dist/index.html',
  'playwright-core/lib/vite/traceViewer/index.html',
  'terser/tools/props.html',
].map(read)

export const REAL_SHEETS = [
  'normalize.css/normalize.css',
  'jquery-ui-dist/jquery-ui.css',
  'reveal.js/dist/reveal.css',
  'reveal.js/dist/theme/night.css',
  'impress.js/css/impress-demo.css',
  'vuetify/dist/vuetify.css',
].map(read)

export const REAL_SCRIPTS = [
  'underscore/underscore.js',
  'jquery/dist/jquery.js',
  'lodash/lodash.js',
  'jquery-ui-dist/jquery-ui.js',
].map(read)
