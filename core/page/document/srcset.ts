import parseSrcset from '@prettier/parse-srcset'

/** An address in a list of picture candidates, and where in the text it begins. */
export interface SrcsetAddress {
  readonly address: string
  readonly at: number
}

/** The addresses of a `srcset` (HTML, 4.8.4.2.1); none where it is no valid one: browsers ignore it then. */
export const srcsetAddresses = (text: string): SrcsetAddress[] => {
  try {
    return parseSrcset(text).map(({ source }) => ({ address: source.value, at: source.startOffset }))
  } catch {
    return []
  }
}

/** A srcset with other addresses. @param replace the new address; undefined: it stays */
export const replaceInSrcset = (text: string, replace: (address: string) => string | undefined): string => {
  let after = text
  // From the last to the first, so that places before stay where they are.
  for (const { address, at } of srcsetAddresses(text).toReversed()) {
    const next = replace(address)
    if (next !== undefined) after = after.slice(0, at) + next + after.slice(at + address.length)
  }
  return after
}
