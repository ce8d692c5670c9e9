import { minify } from 'terser'

/**
 * A script without white space, comments and long local names; global names, those of functions and classes stay, since other scripts may use them.
 * Comments that begin with "!" or speak of a licence stay.
 * @returns the text as it came where it cannot be parsed, or does not get smaller
 */
export const minifyScript = async (text: string, { module = false } = {}): Promise<string> => {
  const result = await minify(text, {
    module,
    compress: { passes: 1, unsafe: false, keep_fargs: true, directives: true },
    mangle: { toplevel: false, eval: false },
    format: { comments: /^!|@license|@preserve|@cc_on/i, ecma: 2020, webkit: true },
    // A parameter of a function may be looked at by its name; names of functions show in messages.
    keep_fnames: false,
    safari10: true,
  }).catch(() => undefined)
  const made = result?.code
  return made !== undefined && made.length < text.length ? made : text
}
