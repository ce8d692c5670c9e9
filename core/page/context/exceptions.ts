import { is } from 'css-select'
import type { Element } from 'domhandler'
import type { RemedyException } from '../../contracts/rewriting.ts'
import { namePatterns, pathPatterns } from '../../http/patterns.ts'

/** The exceptions of one remedy, ready to be asked. */
export interface Exceptions {
  /** Whether the remedy leaves the whole page alone. */
  readonly page: (path: string) => RemedyException | undefined
  readonly file: (address: URL | undefined) => RemedyException | undefined
  readonly element: (element: Element) => RemedyException | undefined
}

/** Whether a pattern names a file: by path, by path and query, by whole address or by the end of its path. */
export const fileMatcher = (patterns: readonly string[]): ((address: URL) => boolean) => {
  const fits = namePatterns(patterns.flatMap((one) => (/^[/*]|:\/\//.test(one) ? [one] : [one, `*/${one}`])))
  return ({ href, pathname, search, host }) =>
    fits(pathname) || fits(pathname + search) || fits(href) || fits(host + pathname)
}

/** Whether an element fits a selector; a selector that cannot be read fits nothing. */
const fitsSelector = (element: Element, selector: string): boolean => {
  try {
    return is(element, selector)
  } catch {
    return false
  }
}

export const compileExceptions = (list: readonly RemedyException[]): Exceptions => {
  const by = (kind: RemedyException['by']) => list.filter((one) => one.by === kind)
  const pages = by('address').map((one) => ({ one, fits: pathPatterns([one.value]) }))
  const files = by('file').map((one) => ({ one, fits: fileMatcher([one.value]) }))
  const selectors = by('selector')
  return {
    page: (path) => pages.find(({ fits }) => fits(path))?.one,
    file: (address) => (address === undefined ? undefined : files.find(({ fits }) => fits(address))?.one),
    element: (element) => selectors.find(({ value }) => fitsSelector(element, value)),
  }
}

/** Why something was left alone, for the list of changes. */
export const exceptionSentence = ({ reason }: RemedyException): string =>
  reason === '' ? 'Excluded by an exception.' : `Excluded by an exception: ${reason}`
