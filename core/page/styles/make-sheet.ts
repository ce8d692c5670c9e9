import { walk } from 'css-tree'
import type { HintSettings } from '../../contracts/rewriting.ts'
import type { z } from 'zod'
import { applyEdits, type Edit } from '../document/edits.ts'
import { minifyStyle } from '../minify/style.ts'
import { readSheet, styleAddresses, writtenUrl } from './addresses.ts'

export interface SheetWishes {
  readonly minify: boolean
  readonly fontDisplay: z.infer<typeof HintSettings>['fontDisplay']
  /** What an absolute address is to be written as; undefined: as it resolves. */
  readonly pathOf: (address: URL) => string | undefined
}

export interface MadeSheet {
  readonly text: string
  /** What was done, in the words of remedies. */
  readonly did: { readonly addresses: number; readonly fonts: number; readonly minified: boolean }
}

/** font-display goes into every face that does not have one, or blocks text (CSS Fonts 4 §4.9). */
const fontEdits = (text: string, display: SheetWishes['fontDisplay']): Edit[] => {
  if (display === 'as-it-is') return []
  const edits: Edit[] = []
  walk(readSheet(text), {
    visit: 'Atrule',
    enter(rule) {
      if (rule.name.toLowerCase() !== 'font-face' || rule.block?.loc == null) return
      let has = false
      rule.block.children.forEach((child) => {
        if (child.type !== 'Declaration' || child.property.toLowerCase() !== 'font-display') return
        has = true
        if (child.value.loc == null) return
        const [from, to] = [child.value.loc.start.offset, child.value.loc.end.offset]
        const value = text.slice(from, to).trim()
        if (value === 'block' || value === 'auto') edits.push({ from, to, text: display })
      })
      if (!has) {
        const at = rule.block.loc.start.offset + 1
        edits.push({ from: at, to: at, text: `font-display:${display};` })
      }
    },
  })
  return edits
}

const writtenAs = (value: string, base: URL, pathOf: SheetWishes['pathOf']): string | undefined => {
  const trimmed = value.trim()
  if (trimmed === '' || trimmed.startsWith('#') || !URL.canParse(trimmed, base)) return undefined
  const url = new URL(trimmed, base)
  if (!/^https?:$/.test(url.protocol)) return undefined
  const { hash } = url
  url.hash = ''
  const path = pathOf(url) ?? (url.origin === base.origin ? url.pathname + url.search : url.href)
  return path + hash
}

/**
 * A style sheet fit to be sent from another address than its own: addresses inside are written from the root of the site, so that they mean the
 * same anywhere on it.
 * @param base address of the sheet
 */
export const makeSheet = (text: string, base: URL, { minify, fontDisplay, pathOf }: SheetWishes): MadeSheet => {
  const edits: Edit[] = []
  let addresses = 0
  for (const { from, to, value, bare } of styleAddresses(readSheet(text))) {
    const written = writtenAs(value, base, pathOf)
    if (written === undefined) continue
    addresses++
    edits.push({
      from,
      to,
      text: bare ? writtenUrl(written).replace(/^url\("?|"?\)$/g, '"') : writtenUrl(written),
    })
  }
  const addressed = applyEdits(text, edits)
  const fonts = fontEdits(addressed, fontDisplay)
  const shown = applyEdits(addressed, fonts)
  const made = minify ? minifyStyle(shown) : shown
  return { text: made, did: { addresses, fonts: fonts.length, minified: made !== shown } }
}
