/** The part of a text in front of the first mark: a path without its query, a name without its value. All of it where the mark is missing. */
export const upTo = (text: string, mark: string): string => {
  const at = text.indexOf(mark)
  return at === -1 ? text : text.slice(0, at)
}
