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

/** A function that holds most of a script is the frame around its parts, and runs when the script is read. */
const FRAME_SHARE = 0.5

const isFrame = ({ startOffset, endOffset }: FunctionUse, length: number): boolean =>
  endOffset - startOffset >= FRAME_SHARE * length

const escaped = (name: string): string => name.replaceAll(/[$()*+.?[\\\]^{|}]/g, String.raw`\$&`)

/** Whether a text mentions a name as a word of its own. */
export const mentions = (text: string, name: string): boolean =>
  new RegExp(`(?<![\\w$])${escaped(name)}(?![\\w$])`).test(text)

/** Why a script is needed, or that nothing of it is. */
const useOf = (script: ObservedScript, others: readonly string[]): ScriptUse['use'] => {
  if (script.functions.some((one) => one.called && !isFrame(one, script.text.length))) return 'ran'
  if (script.acts.length > 0) return 'acts'
  if (script.globals.some((name) => others.some((text) => mentions(text, name)))) return 'mentioned'
  return 'unused'
}

/**
 * Which scripts of a loaded page nothing used: no part of them ran, they listen to nothing and changed nothing, and no other code of the
 * page mentions what they offer. What cannot be seen counts as used.
 * @param scripts all of the page, inline ones too
 * @param handlers code in attributes such as onclick
 */
export const scriptUses = (scripts: readonly ObservedScript[], handlers: readonly string[]): ScriptUse[] =>
  scripts
    .filter(({ inline, url }) => !inline && url !== '')
    .map((script) => {
      const others = [...scripts.filter((one) => one !== script).map(({ text }) => text), ...handlers]
      return { url: script.url, use: useOf(script, others), globals: [...script.globals] }
    })
