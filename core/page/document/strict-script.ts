/** One piece of what may stand before the first statement: white space, or a comment (ECMA-262 §12.2 to §12.4). */
const UNSEEN = /\s+|\/\/.*|\/\*[\s\S]*?\*\//y
/** A string literal, with the semicolon that ends its statement. */
const LITERAL = /(?:"((?:[^"\\\n]|\\.)*)"|'((?:[^'\\\n]|\\.)*)')\s*;?/y

/**
 * Whether a script is strict as a whole: "use strict" is among the directives at its beginning (ECMA-262 §11.2.1). Where the
 * literal goes on as an expression it is called strict too: nothing is lost by that. Takes time in
 * proportion to what stands before the first statement, however many comments that is.
 */
export const isStrict = (script: string): boolean => {
  for (let at = 0; at < script.length;) {
    UNSEEN.lastIndex = at
    if (UNSEEN.test(script)) {
      at = UNSEEN.lastIndex
      continue
    }
    LITERAL.lastIndex = at
    const directive = LITERAL.exec(script)
    if (directive === null) return false
    if ((directive[1] ?? directive[2]) === 'use strict') return true
    at = LITERAL.lastIndex
  }
  return false
}
