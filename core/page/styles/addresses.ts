import { parse, walk, type CssNode, type WalkContext } from 'css-tree'
import { applyEdits, type Edit } from '../document/edits.ts'

/** An address in a style sheet: where it stands in the text, and what it is for. */
export interface StyleAddress extends Omit<Edit, 'text'> {
  readonly value: string
  readonly use: 'import' | 'font' | 'other'
  /** Inside the quotes of an @import without url(). */
  readonly bare: boolean
}

/** Parse a style sheet (CSS Syntax 3): never fails, what is malformed stays as raw text. */
export const readSheet = (text: string): CssNode => parse(text, { positions: true, parseCustomProperty: false })

/** All addresses of a style sheet, in order. */
export const styleAddresses = (sheet: CssNode): StyleAddress[] => {
  const found: StyleAddress[] = []
  walk(sheet, {
    enter(this: WalkContext, node: CssNode) {
      const { loc } = node
      if (loc == null) return
      if (node.type === 'Url')
        found.push({
          from: loc.start.offset,
          to: loc.end.offset,
          value: node.value,
          use: this.atrule?.name === 'import' ? 'import' : this.atrule?.name === 'font-face' ? 'font' : 'other',
          bare: false,
        })
      if (node.type === 'String' && this.atrule?.name === 'import' && this.atrulePrelude !== null)
        // Later strings of an import belong to supports(…) or layer(…), never first.
        if (found.at(-1)?.use !== 'import' || found.at(-1)!.from < this.atrule.loc!.start.offset)
          found.push({
            from: loc.start.offset,
            to: loc.end.offset,
            value: node.value,
            use: 'import',
            bare: true,
          })
    },
  })
  return found
}

/** An address as it is written into a style sheet. */
export const writtenUrl = (address: string): string =>
  /^[\w\-./:?=&%~+,;@!$*#]+$/.test(address)
    ? `url(${address})`
    : `url("${address.replaceAll('\\', '\\\\').replaceAll('"', '\\"').replaceAll('\n', '\\a ')}")`

/** Styles with other addresses: a whole sheet, or the declarations of one element. @param replace the new address; undefined: it stays */
export const replaceInStyles = (text: string, replace: (address: string) => string | undefined): string => {
  const isSheet = text.includes('{')
  const shift = isSheet ? 0 : 2
  const edits = styleAddresses(readSheet(isSheet ? text : `x{${text}}`)).flatMap(
    ({ from, to, value, bare }): Edit[] => {
      const next = bare ? undefined : replace(value)
      return next === undefined ? [] : [{ from: from - shift, to: to - shift, text: writtenUrl(next) }]
    },
  )
  return applyEdits(text, edits)
}
