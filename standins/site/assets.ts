import { existsSync } from 'node:fs'
import { readFile } from 'node:fs/promises'
import { createRequire } from 'node:module'
import { join, resolve } from 'node:path'
import {
  BASKET_JS,
  CONSENT_JS,
  DEPARTURES_JS,
  FRAMES_JS,
  SEMAPHORE_JS,
  FORMS_JS,
  LIGHTBOX_JS,
  MENU_JS,
  COMPAT_JS,
  SLIDER_JS,
} from './assets/scripts.ts'
import { FORMS_CSS, SLIDER_CSS, THEME_CSS, frameworkCss, iconsCss } from './assets/styles.ts'

const require = createRequire(import.meta.url)

/** A file of an installed package, whether or not the package exports it. */
const packageFile = (name: string, file: string): Promise<Buffer> => {
  // The demo has packages of its own where those of the tests are not installed.
  const own = resolve(import.meta.dirname, '../standins/node_modules')
  const folder = [...(require.resolve.paths(name) ?? []), own].find((path) => existsSync(join(path, name)))
  if (folder === undefined)
    throw new Error(`The package ${name} is not installed. Run "npm run demo", which installs it.`)
  return readFile(join(folder, name, file))
}

const FONTS: Record<string, [string, string]> = {
  'text-400.woff': ['@fontsource/nunito-sans', 'files/nunito-sans-latin-400-normal.woff'],
  'text-700.woff': ['@fontsource/nunito-sans', 'files/nunito-sans-latin-700-normal.woff'],
  'head-400.woff': ['@fontsource/bitter', 'files/bitter-latin-400-normal.woff'],
  'head-700.woff': ['@fontsource/bitter', 'files/bitter-latin-700-normal.woff'],
}

/** Styles, scripts and fonts of the site by file name, as the site sends them: whole and unminified. */
export const loadAssets = async (): Promise<ReadonlyMap<string, Buffer>> => {
  const assets = new Map<string, Buffer>()
  const texts: Record<string, string> = {
    'framework.css': frameworkCss(),
    'icons.css': iconsCss(),
    'theme.css': THEME_CSS,
    'slider.css': SLIDER_CSS,
    'forms.css': FORMS_CSS,
    'slider.js': SLIDER_JS,
    'menu.js': MENU_JS,
    'departures.js': DEPARTURES_JS,
    'lightbox.js': LIGHTBOX_JS,
    'basket.js': BASKET_JS,
    'forms.js': FORMS_JS,
    'consent.js': CONSENT_JS,
    'compat.js': COMPAT_JS,
    'semaphore.js': SEMAPHORE_JS,
    'frames.js': FRAMES_JS,
  }
  for (const [name, text] of Object.entries(texts)) assets.set(name, Buffer.from(text))
  // Two libraries as they are, under names of the site's own.
  assets.set('sextant.js', await packageFile('jquery', 'dist/jquery.js'))
  assets.set('ballast.js', await packageFile('lodash', 'lodash.js'))
  for (const [name, [from, file]] of Object.entries(FONTS)) assets.set(name, await packageFile(from, file))
  return assets
}
