// What a first visit to the interface needs is named in its page, and every file also lies there compressed.
import { readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { join, resolve } from 'node:path'
import { brotliCompressSync, constants, gzipSync } from 'node:zlib'
import type { HtmlTagDescriptor, Plugin, Rollup } from 'vite'

const TEXT = /\.(?:js|css|html|svg|json)$/

/** A chunk, and all that it imports before it runs. */
const withImports = (bundle: Rollup.OutputBundle, name: string, seen = new Set<string>()): Set<string> => {
  const chunk = bundle[name]
  if (seen.has(name) || chunk?.type !== 'chunk') return seen
  seen.add(name)
  for (const imported of chunk.imports) withImports(bundle, imported, seen)
  return seen
}

const link = (attrs: Record<string, string>): HtmlTagDescriptor => ({
  tag: 'link',
  attrs: { ...attrs, crossorigin: '' },
  injectTo: 'head',
})

/**
 * The links of a page: scripts that its entry loads anyway, their style sheets, and the font of the text, all asked for at once
 * instead of one after the other.
 */
export const linksOf = (bundle: Rollup.OutputBundle): HtmlTagDescriptor[] => {
  const chunks = Object.values(bundle).filter((one) => one.type === 'chunk')
  const entry = chunks.find(({ isEntry }) => isEntry)
  if (entry === undefined) return []
  const scripts = new Set([entry.fileName, ...entry.dynamicImports].flatMap((name) => [...withImports(bundle, name)]))
  const styles = new Set(
    chunks.filter(({ fileName }) => scripts.has(fileName)).flatMap((one) => [...(one.viteMetadata?.importedCss ?? [])]),
  )
  scripts.delete(entry.fileName)
  const font = Object.keys(bundle).find((name) => /figtree-basic.*\.woff2$/.test(name))
  return [
    ...[...styles].map((name) => link({ rel: 'stylesheet', href: `/${name}` })),
    ...[...scripts].map((name) => link({ rel: 'modulepreload', href: `/${name}` })),
    ...(font === undefined ? [] : [link({ rel: 'preload', href: `/${font}`, as: 'font', type: 'font/woff2' })]),
  ]
}

/** Brotli and gzip beside each text file, at the highest setting: this is done once. */
const compressFiles = (folder: string): void => {
  for (const entry of readdirSync(folder, { recursive: true, withFileTypes: true })) {
    if (!entry.isFile() || !TEXT.test(entry.name)) continue
    const file = join(entry.parentPath, entry.name)
    const bytes = readFileSync(file)
    writeFileSync(
      `${file}.br`,
      brotliCompressSync(bytes, {
        params: {
          [constants.BROTLI_PARAM_SIZE_HINT]: bytes.length,
          [constants.BROTLI_PARAM_MODE]: constants.BROTLI_MODE_TEXT,
          [constants.BROTLI_PARAM_LGWIN]: 24,
        },
      }),
    )
    writeFileSync(`${file}.gz`, gzipSync(bytes, { level: 9 }))
  }
}

/** The plugin for Vite. */
export const firstLoad = (): Plugin => {
  let folder = ''
  return {
    name: 'first-load',
    apply: 'build',
    configResolved({ root, build }) {
      folder = resolve(root, build.outDir)
    },
    transformIndexHtml: { order: 'post', handler: (_html, { bundle }) => linksOf(bundle ?? {}) },
    closeBundle() {
      compressFiles(folder)
    },
  }
}
