import { generate, parse } from 'css-tree'

/**
 * A style sheet without white space and comments that nobody needs; comments that begin with "!" stay, they hold licences. It is the parse tree
 * written out again (CSS Syntax 3 §9), so that nothing is merged, reordered or rounded: of what goes further, some drops rules it does not know.
 */
export const minifyStyle = (text: string): string => {
  let damaged = false
  const tree = parse(text, {
    parseCustomProperty: false,
    onParseError: () => (damaged = true),
  })
  const made = generate(tree)
  // What was malformed is kept raw, so that nobody repairs it wrongly; unless writing it out again gives another tree.
  if (damaged && generate(parse(made, { parseCustomProperty: false })) !== made) return text
  return made.length < text.length ? made : text
}
