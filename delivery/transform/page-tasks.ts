import { digest20 } from './digest.ts'
import { blocksIn, iconsIn } from '../../core/page/fonts/characters.ts'
import { filesOfPage, filesOfSheet, type NamedFile } from '../../core/page/transforms/named-files.ts'
import { minifyJson, minifySvg } from '../../core/page/minify/data.ts'
import { rewritePage, type PageOrder, type RewrittenPage } from '../../core/page/rewrite.ts'
import { makeSheet, type MadeSheet, type SheetWishes } from '../../core/page/styles/make-sheet.ts'

export interface SheetOrder extends Omit<SheetWishes, 'pathOf'> {
  readonly text: string
  readonly address: string
  readonly paths: ReadonlyMap<string, string>
}

/** What a page or style sheet names and shows. */
export interface Contents {
  readonly files: readonly NamedFile[]
  readonly blocks: readonly number[]
  readonly icons: readonly number[]
}

/** Work that takes milliseconds and that a visitor may be waiting for. Carried out in worker threads. */
export const PAGE_TASKS = {
  readPage: async ({ html, address }: { html: string; address: string }): Promise<Contents> => ({
    files: filesOfPage(html, new URL(address)),
    blocks: blocksIn(html),
    icons: iconsIn(html),
  }),
  readSheet: async ({ text, address }: { text: string; address: string }): Promise<Contents> => ({
    files: filesOfSheet(text, new URL(address)),
    blocks: [],
    icons: iconsIn(text),
  }),
  page: (order: PageOrder): Promise<RewrittenPage> => rewritePage(order, digest20),
  sheet: async ({ text, address, paths, ...wishes }: SheetOrder): Promise<MadeSheet> =>
    makeSheet(text, new URL(address), { ...wishes, pathOf: (url) => paths.get(url.href) }),
  svg: async (text: string): Promise<string> => minifySvg(text),
  json: async (text: string): Promise<string> => minifyJson(text),
}
