const ASCII = /^[\x21-\x7e]*$/

const hex = (byte: number): string => `%${byte.toString(16).toUpperCase().padStart(2, '0')}`

/**
 * A request target with letters outside of ASCII written as their bytes: an address is written in ASCII (RFC 3986 §2), and some programs do not know.
 * @param encoding what one letter of the text stands for: a byte, or a character of UTF-8
 */
export const asciiTarget = (target: string, encoding: 'latin1' | 'utf8'): string =>
  ASCII.test(target)
    ? target
    : target.replaceAll(/[^\x21-\x7e]+/g, (letters) =>
        encoding === 'latin1'
          ? [...letters].map((letter) => hex(letter.charCodeAt(0) & 0xff)).join('')
          : Array.from(new TextEncoder().encode(letters), hex).join(''),
      )
