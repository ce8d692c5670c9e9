// Parts of libraries that the interface never calls, but that their modules hold on to: left out of what browsers load.
import { readFileSync } from 'node:fs'
import type { Plugin } from 'vite'

/** What is left out: schemas are not written out as JSON Schema, nothing here is a calendar, no progress comes in waves, and icons are drawn instead of taken from a font. */
const LEFT_OUT =
  /\/(?:zod\/v4\/core\/(?:to-json-schema|json-schema-processors)|vuetify\/lib\/(?:composables\/date\/adapters\/vuetify|components\/VProgressLinear\/waves|iconsets\/mdi))\.js$/

const CONTRACTS = /\/core\/contracts\/[\w-]+\.ts$/

/** A module with the same names, each a function that makes nothing. */
export const hollow = (code: string): string => {
  const names = [...code.matchAll(/^export (?:const|function|class) (\w+)/gm)].map(([, name = '']) => name)
  const renamed = [...code.matchAll(/^export \{([^}]*)\}/gm)].flatMap(([, list]) =>
    list!.split(',').flatMap((part) => part.trim().split(' as ').at(-1) || []),
  )
  return [
    'function none() { return none }',
    `export { ${[...names, ...renamed].map((name) => `none as ${name}`).join(', ')} }`,
  ].join('\n')
}

/** What a schema says about itself is for the description of the API, not for browsers. */
export const withoutDescriptions = (code: string): string =>
  code.replaceAll(/\s*\.describe\(\s*(['"`])(?:\\.|(?!\1)[^\\])*\1,?\s*\)/g, '')

/** The plugin for Vite. */
export const leftOut = (): Plugin => ({
  name: 'left-out',
  apply: 'build',
  enforce: 'pre',
  load: (id) => (LEFT_OUT.test(id) ? hollow(readFileSync(id, 'utf8')) : undefined),
  transform: (code, id) => (CONTRACTS.test(id) ? { code: withoutDescriptions(code), map: null } : undefined),
})
