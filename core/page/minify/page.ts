import { minify } from 'html-minifier-terser'
import type { Document, Element } from 'domhandler'
import { hasFragmentMarkup } from '../document/fragments.ts'
import { isClassicScript, parseTree, textOf } from '../document/page-document.ts'
import { minifyJson } from './data.ts'
import { minifyScript } from './script.ts'
import { minifyStyle } from './style.ts'
import { upTo } from '../../http/up-to.ts'

/** Text whose white space means something. */
const VERBATIM = new Set(['pre', 'textarea', 'script', 'style', 'template', 'xmp', 'listing', 'plaintext'])
/** Comments that something reads: conditional ones, licences, Edge Side Includes and server-side includes. */
const READ_COMMENTS = [/^!/, /^\s*\[if\b/i, /<!\[endif\]/i, /^esi\b/, /^\s*#/, /@license|@preserve/i]

type Node = Document['children'][number]

const JSON_TYPE = /^\s*application\/(ld\+)?json\s*$/i
const isClassicOrModule = (script: Element): boolean =>
  isClassicScript(script) ||
  script.attribs['type']?.trim().toLowerCase() === 'module' ||
  script.attribs['nomodule'] !== undefined

/** Scripts that hold anything but code: templates, data. They are shown to the minifier as one piece that is not its business. */
const DATA_BLOCKS =
  /<script\b[^>]*\btype\s*=\s*(?!\s|["']?(?:(?:text|application)\/(?:x-)?(?:java|ecma)script|module)\b)[^>]*>[\s\S]*?<\/script>/gi
const SERVER_MARKS = [/<%[\s\S]*?%>/, /<\?[\s\S]*?\?>/]

/** White space between the elements of these is no part of what is shown. */
const isUnseen = (parent: Element | null): boolean =>
  parent === null || parent.name === undefined || parent.name === 'html' || parent.name === 'head'

/** Attributes in whose values white space around commas and semicolons says nothing. */
const LISTS = new Set(['content', 'srcset', 'sizes', 'style', 'media', 'imagesrcset', 'imagesizes'])

const attributeMeaning = ([name, value]: [string, string]): string => {
  // Of a boolean attribute only the presence counts (WHATWG HTML §2.3.2).
  const text = value === name ? '' : value.trim().replaceAll(/\s+/g, ' ')
  const listed = text
    .replaceAll(/ *([,;:]) */g, '$1')
    .replaceAll(/(\d)\.0+(?!\d)/g, '$1')
    .replace(/;$/, '')
  return `${name}=${JSON.stringify(LISTS.has(name) ? listed : text)}`
}

/** What a page means, apart from comments and the amount of white space between words. */
const meaning = (nodes: readonly Node[], parts: string[], verbatim: boolean): void => {
  for (const node of nodes) {
    if (node.type === 'text' && isUnseen(node.parent as Element | null) && node.data.trim() === '') continue
    if (node.type === 'text') parts.push(verbatim ? node.data : node.data.replaceAll(/[\t\n\f\r ]+/g, ' '))
    else if (node.type === 'directive') parts.push(`<!${node.data.toLowerCase()}>`)
    else if ('attribs' in node) {
      const attributes = Object.entries(node.attribs).map(attributeMeaning).sort()
      parts.push(`<${node.name} ${attributes.join(' ')}>`)
      // Code inside is minified by rules of its own; data is not code.
      if (node.name === 'style' || (node.name === 'script' && isClassicOrModule(node))) parts.push('code')
      else if (node.name === 'script' && JSON_TYPE.test(node.attribs['type'] ?? ''))
        parts.push(minifyJson(textOf(node)))
      else meaning(node.children, parts, verbatim || VERBATIM.has(node.name))
      parts.push(`</${node.name}>`)
    }
  }
}

/** A page's meaning as a text; two pages with the same one are shown alike. */
export const pageMeaning = (html: string): string => {
  const parts: string[] = []
  meaning(parseTree(html).children, parts, false)
  // Where comments stood, white space meets white space; behind the body's last element it shows nothing.
  return parts
    .join('')
    .replaceAll(/ +/g, ' ')
    .replaceAll(/ (<\/body>|<\/html>)/g, '$1')
    .trim()
}

export interface PageMinifying {
  readonly inline: boolean
  readonly json: boolean
}

/**
 * A page without needless white space and comments. Runs of white space become one space and are never taken away whole, since between words and
 * pictures they show. Afterwards both are parsed (WHATWG HTML §13.2); unless they mean the same, the page stays as it is.
 */
export const minifyPage = async (
  html: string,
  { inline, json }: PageMinifying,
): Promise<{ kind: 'minified'; html: string } | { kind: 'left'; why: string }> => {
  let made: string
  try {
    made = await minify(html, {
      collapseWhitespace: true,
      conservativeCollapse: true,
      continueOnParseError: false,
      caseSensitive: true,
      keepClosingSlash: true,
      removeComments: true,
      ignoreCustomComments: READ_COMMENTS,
      collapseBooleanAttributes: true,
      // Fragments are read by their quotes.
      removeAttributeQuotes: !hasFragmentMarkup(html),
      removeRedundantAttributes: false,
      decodeEntities: false,
      minifyCSS: inline
        ? async (text: string, type?: string) => (type === undefined || type === 'text/css' ? minifyStyle(text) : text)
        : false,
      minifyJS: inline
        ? async (text: string, isAttribute?: boolean) => (isAttribute === true ? text : minifyScript(text))
        : false,
      processScripts: [],
      ignoreCustomFragments: [...SERVER_MARKS, DATA_BLOCKS],
    })
  } catch (error) {
    return {
      kind: 'left',
      why: `It could not be minified: ${upTo((error as Error).message, '\n').slice(0, 120)}`,
    }
  }
  if (json) made = withJsonMinified(made)
  if (made.length >= html.length) return { kind: 'left', why: 'There is nothing to remove.' }
  if (pageMeaning(made) !== pageMeaning(html))
    return { kind: 'left', why: 'Its HTML is malformed in a way that minifying would change what it means.' }
  return { kind: 'minified', html: made }
}

const JSON_SCRIPT = /(<script\b[^>]*\btype\s*=\s*["']?application\/(?:ld\+)?json["']?[^>]*>)([\s\S]*?)(<\/script)/gi

const withJsonMinified = (html: string): string =>
  html.replace(JSON_SCRIPT, (_match, open: string, data: string, close: string) => open + minifyJson(data) + close)
