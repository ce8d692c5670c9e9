import type { ScriptUse } from '../contracts/measuring.ts'

/** A function of a script, as coverage by function tells of it (V8). */
export interface FunctionUse {
  readonly startOffset: number
  readonly endOffset: number
  readonly called: boolean
}

/** What one script of a page was seen to do. */
export interface ObservedScript {
  readonly url: string
  /** Inline, or one that another program put in: nobody could leave it out. */
  readonly inline: boolean
  readonly text: string
  readonly functions: readonly FunctionUse[]
  /** Kinds of things it did while it was read: "listener", "timer", "document", … */
  readonly acts: readonly string[]
  /** Names that it gave to all scripts, or functions that it added to what others had named. */
  readonly globals: readonly string[]
}

/** A function that holds most of a script is the frame around its parts. */
const FRAME_SHARE = 0.5
/** A frame stands near the beginning, behind a licence at most; looking for comments in more than this would take too long. */
const LONGEST_PREFIX = 20_000

const withoutComments = (text: string): string => text.replaceAll(/\/\*[\s\S]*?\*\/|\/\/.*/g, ' ')

/** Whether a function stands at the top by itself: "(function", "!function", "void function", at the start or behind a statement. */
const opensFrame = (before: string): boolean => {
  const code = withoutComments(before).trimEnd()
  const bare = code.replace(/(?:[!+\-~(]|\bvoid)$/, '').trimEnd()
  return bare === '' || /[;{}]$/.test(bare)
}

/** Whether it is called on the spot: "(", ")(", ".call(", ").apply(". */
const isCalled = (after: string): boolean => {
  const code = after.trimStart()
  const bare = code.startsWith(')') ? code.slice(1).trimStart() : code
  return /^(?:\(|\.(?:call|apply)\()/.test(bare)
}

/**
 * Whether a function is the frame of a script, which runs when the script is read and never again. One that is handed to others may run
 * whenever they like, and one that waits goes on later.
 */
const isFrame = ({ startOffset, endOffset }: FunctionUse, text: string): boolean =>
  startOffset <= LONGEST_PREFIX &&
  endOffset - startOffset >= FRAME_SHARE * text.length &&
  opensFrame(text.slice(0, startOffset)) &&
  isCalled(text.slice(endOffset)) &&
  !/^async\b/.test(text.slice(startOffset))

/** Names that code declares; those within brackets and braces of a pattern, too. Rather too many than too few. */
const declaredIn = (code: string): string[] => [
  ...[...code.matchAll(/\b(?:const|let|class|var|function)\s+([\w$]+)/g)].map(([, name = '']) => name),
  ...[...code.matchAll(/\b(?:const|let|var)\s*[[{]([^=;]*)/g)].flatMap(
    ([, pattern = '']) => pattern.match(/[\w$]+/g) ?? [],
  ),
]

/** What a script offers to others: names it gave, and whatever it declares outside its frame. */
const offeredBy = ({ text, functions, globals }: ObservedScript): Set<string> => {
  const frame = functions.find((one) => isFrame(one, text))
  const outside = frame === undefined ? text : text.slice(0, frame.startOffset) + text.slice(frame.endOffset)
  return new Set([...globals, ...declaredIn(outside)])
}

const WORD = /[\p{ID_Continue}$]+/gu

/** Every word of a text that may be a name: a text is read once, however many names are looked for. */
export const wordsOf = (text: string): ReadonlySet<string> => new Set(text.match(WORD))

/** Whether a name is one word, so that it can be found among words; of any other nobody can tell. */
const isWord = (name: string): boolean => /^[\p{ID_Continue}$]+$/u.test(name)

/** Whether any of some names is among the words of any of some texts. A name that is no word counts as found. */
export const anyMentioned = (names: Iterable<string>, texts: readonly ReadonlySet<string>[]): boolean => {
  for (const name of names) if (!isWord(name) || texts.some((words) => words.has(name))) return true
  return false
}

/** A script that offers more than this is a library: nobody has looked for all of it. */
const MOST_OFFERED = 200

interface ReadScript {
  readonly script: ObservedScript
  readonly words: ReadonlySet<string>
  readonly offered: ReadonlySet<string>
}

/** Why a script is needed, or that nothing of it is. */
const useOf = (
  { script, words, offered }: ReadScript,
  others: readonly ReadScript[],
  handlers: ReadonlySet<string>,
): ScriptUse['use'] => {
  if (script.functions.some((one) => one.called && !isFrame(one, script.text))) return 'ran'
  if (script.acts.length > 0) return 'acts'
  if (offered.size > MOST_OFFERED) return 'mentioned'
  if (anyMentioned(offered, [handlers, ...others.map((other) => other.words)])) return 'mentioned'
  // It may have handed something over to them.
  return others.some((other) => anyMentioned(other.offered, [words])) ? 'asks' : 'unused'
}

/**
 * Which scripts of a loaded page nothing used: no part of them ran, they listen to nothing and changed nothing, and no other code of the
 * page mentions what they offer, nor do they mention what others offer. What cannot be seen counts as used.
 * @param scripts all of the page, inline ones too
 * @param handlers code in attributes such as onclick
 * @returns one entry per external script; what it offers, only where nothing uses it
 */
export const scriptUses = (scripts: readonly ObservedScript[], handlers: readonly string[]): ScriptUse[] => {
  const read = scripts.map((script): ReadScript => ({
    script,
    words: wordsOf(script.text),
    offered: offeredBy(script),
  }))
  const handled = wordsOf(handlers.join('\n'))
  return read
    .filter(({ script }) => !script.inline && script.url !== '')
    .map((one) => {
      const others = read.filter((other) => other !== one)
      const use = useOf(one, others, handled)
      return { url: one.script.url, use, globals: use === 'unused' ? [...one.offered] : [] }
    })
}
