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
  endOffset - startOffset >= FRAME_SHARE * text.length &&
  opensFrame(text.slice(0, startOffset)) &&
  isCalled(text.slice(endOffset)) &&
  !/^async\b/.test(text.slice(startOffset))

/** Names that code declares; those within brackets and braces of a pattern, too. Rather too many than too few. */
const declaredIn = (code: string): string[] => [
  ...[...code.matchAll(/\b(?:const|let|class|var|function)\s+([\w$]+)/g)].map(([, name]) => name!),
  ...[...code.matchAll(/\b(?:const|let|var)\s*[[{]([^=;]*)/g)].flatMap(
    ([, pattern]) => pattern!.match(/[\w$]+/g) ?? [],
  ),
]

/** What a script offers to others: names it gave, and whatever it declares outside its frame. */
const offeredBy = ({ text, functions, globals }: ObservedScript): string[] => {
  const frame = functions.find((one) => isFrame(one, text))
  const outside = frame === undefined ? text : text.slice(0, frame.startOffset) + text.slice(frame.endOffset)
  return [...globals, ...declaredIn(outside)]
}

const escaped = (name: string): string => name.replaceAll(/[$()*+.?[\\\]^{|}]/g, String.raw`\$&`)

/** Whether a text mentions a name as a word of its own. */
export const mentions = (text: string, name: string): boolean =>
  new RegExp(`(?<![\\w$])${escaped(name)}(?![\\w$])`).test(text)

/** Why a script is needed, or that nothing of it is. */
const useOf = (
  script: ObservedScript,
  others: { readonly code: readonly string[]; readonly offered: readonly string[] },
): ScriptUse['use'] => {
  if (script.functions.some((one) => one.called && !isFrame(one, script.text))) return 'ran'
  if (script.acts.length > 0) return 'acts'
  if (offeredBy(script).some((name) => others.code.some((text) => mentions(text, name)))) return 'mentioned'
  // It may have handed something over to them.
  if (others.offered.some((name) => mentions(script.text, name))) return 'asks'
  return 'unused'
}

/**
 * Which scripts of a loaded page nothing used: no part of them ran, they listen to nothing and changed nothing, and no other code of the
 * page mentions what they offer, nor do they mention what others offer. What cannot be seen counts as used.
 * @param scripts all of the page, inline ones too
 * @param handlers code in attributes such as onclick
 */
export const scriptUses = (scripts: readonly ObservedScript[], handlers: readonly string[]): ScriptUse[] =>
  scripts
    .filter(({ inline, url }) => !inline && url !== '')
    .map((script) => {
      const rest = scripts.filter((one) => one !== script)
      const code = [...rest.map(({ text }) => text), ...handlers]
      const use = useOf(script, { code, offered: rest.flatMap(offeredBy) })
      return { url: script.url, use, globals: offeredBy(script) }
    })
