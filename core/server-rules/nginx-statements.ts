/** One statement of an nginx configuration: its words without quotation marks, and how many blocks it stands in. */
export interface NginxStatement {
  /** Where it begins, counted from 1. */
  readonly line: number
  readonly words: readonly string[]
  readonly depth: number
  /** First word of the innermost block it stands in; undefined: in none. */
  readonly within: string | undefined
}

/** A word in quotation marks, or one that ends at white space or punctuation; a backslash takes the next character as it is. */
const TOKEN = /"(?:[^"\\]|\\.)*"|'(?:[^'\\]|\\.)*'|(?:[^\s;{}"'\\]|\\.)(?:[^\s;{}\\]|\\.)*|[;{}]/gsy
const SPACE_OR_COMMENT = /(?:\s|#[^\n]*)*/y

const plain = (token: string): string => (/^["']/.test(token) ? token.slice(1, -1) : token).replace(/\\(.)/gs, '$1')

/** The statements of an nginx configuration, however they are laid out (nginx reads the same of any white space). What cannot be read is one statement. */
export const nginxStatements = (text: string): NginxStatement[] => {
  const statements: NginxStatement[] = []
  let [at, depth, line] = [0, 0, 1]
  let words: string[] = []
  let begun = 1
  const blocks: string[] = []
  const advance = (to: number): void => {
    line += text.slice(at, to).split('\n').length - 1
    at = to
  }
  const end = (): void => {
    if (words.length > 0) statements.push({ line: begun, words, depth, within: blocks.at(-1) })
    words = []
  }
  while (at < text.length) {
    SPACE_OR_COMMENT.lastIndex = at
    advance(at + (SPACE_OR_COMMENT.exec(text)?.[0].length ?? 0))
    if (at >= text.length) break
    TOKEN.lastIndex = at
    const token = TOKEN.exec(text)?.[0]
    if (token === undefined) {
      // A quotation mark that is not closed, for instance: nginx would refuse it too.
      statements.push({ line, words: [text.slice(at, at + 80)], depth: 0, within: undefined })
      return statements
    }
    if (token === ';' || token === '{' || token === '}') {
      const [opened = ''] = words
      end()
      if (token === '{') blocks.push(opened)
      else if (token === '}') blocks.pop()
      depth = Math.max(0, depth + (token === '{' ? 1 : token === '}' ? -1 : 0))
    } else {
      if (words.length === 0) begun = line
      words.push(plain(token))
    }
    advance(at + token.length)
  }
  end()
  return statements
}
