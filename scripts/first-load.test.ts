import type { Rollup } from 'vite'
import { expect, test } from 'vitest'
import { linksOf } from './first-load.ts'

const chunk = (fileName: string, more: object = {}) => ({
  type: 'chunk',
  fileName,
  imports: [],
  dynamicImports: [],
  isEntry: false,
  viteMetadata: { importedCss: new Set<string>() },
  ...more,
})

test('the page names what its entry loads anyway: styles, scripts and the font; not the views', () => {
  const files = [
    chunk('boot.js', { isEntry: true, imports: ['libraries.js'], dynamicImports: ['main.js'] }),
    chunk('libraries.js'),
    chunk('main.js', {
      imports: ['libraries.js', 'contracts.js'],
      dynamicImports: ['view.js'],
      viteMetadata: { importedCss: new Set(['main.css']) },
    }),
    chunk('contracts.js'),
    chunk('view.js'),
    { type: 'asset', fileName: 'figtree-basic-Ab.woff2' },
  ]
  const bundle = Object.fromEntries(files.map((file) => [file.fileName, file])) as unknown as Rollup.OutputBundle
  expect(linksOf(bundle).map(({ attrs }) => [attrs?.['rel'], attrs?.['href']])).toEqual([
    ['stylesheet', '/main.css'],
    ['modulepreload', '/libraries.js'],
    ['modulepreload', '/main.js'],
    ['modulepreload', '/contracts.js'],
    ['preload', '/figtree-basic-Ab.woff2'],
  ])
})
