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
