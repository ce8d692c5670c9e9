import { optimize } from 'svgo'

/**
 * JSON without white space between its parts (RFC 8259 §2). Texts and numbers stay letter for letter: reading and writing it again would round large
 * numbers.
 * @returns the text as it came when it is not JSON
 */
export const minifyJson = (text: string): string => {
  try {
    JSON.parse(text)
  } catch {
    return text
  }
  return text.replace(/("(?:[^"\\]|\\.)*")|[ \t\n\r]+/g, (_match, string: string | undefined) => string ?? '')
}

/** A drawing without what editors leave in it; names that styles or scripts may use stay. @returns the text as it came when it cannot be read */
export const minifySvg = (text: string): string => {
  try {
    const { data } = optimize(text, {
      multipass: true,
      floatPrecision: 3,
      plugins: [
        {
          name: 'preset-default',
          params: {
            overrides: { cleanupIds: false, removeHiddenElems: false, mergePaths: false, removeDesc: false },
          },
        },
      ],
    })
    return data.includes('<svg') && data.length < text.length ? data : text
  } catch {
    return text
  }
}
