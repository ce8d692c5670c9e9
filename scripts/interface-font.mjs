// Makes web/theme/figtree-basic.woff2 from the installed font: the characters that the interface itself writes, in the weights that it
// uses. Names in other letters take the whole font, which browsers load only where they need it. Run it after an update of the font.
import { readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import subsetFont from 'subset-font'
import { root } from './shell.mjs'

/** Printable ASCII, and the signs of our sentences; unicode-range in web/theme/fonts.css says the same. */
const TEXT = [
  ...Array.from({ length: 95 }, (_, at) => String.fromCodePoint(0x20 + at)),
  ...'\u00a0°±²³·×–—‘’“”…←→−≤≥',
].join('')

const whole = readFileSync(
  join(root, 'node_modules/@fontsource-variable/figtree/files/figtree-latin-wght-normal.woff2'),
)
const part = await subsetFont(whole, TEXT, { targetFormat: 'woff2', variationAxes: { wght: { min: 400, max: 700 } } })
writeFileSync(join(root, 'web/theme/figtree-basic.woff2'), part)
console.log(`${whole.length} bytes became ${part.length}`)
