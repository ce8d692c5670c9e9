/**
 * Sums of decimal numbers in 80-bit extended precision, as servers that speak RESP add them: a significand of 64 bits, and 17 digits behind the point.
 * Two programs that count in the same key then see the same bytes.
 */

/** A binary fraction: `significand` × 2^`exponent`, the significand of at most 64 bits. */
interface Extended {
  readonly significand: bigint
  readonly exponent: number
}

const BITS = 64
/** Larger ones would be infinite, or take long. */
const LARGEST_EXPONENT = 4000
const DIGITS = 17

const bitLength = (value: bigint): number => value.toString(2).length

/** To the nearest, halves to even (IEEE 754). */
const divideRounding = (numerator: bigint, denominator: bigint): bigint => {
  const quotient = numerator / denominator
  const twice = 2n * (numerator % denominator)
  if (twice > denominator || (twice === denominator && quotient % 2n === 1n)) return quotient + 1n
  return quotient
}

const fromFraction = (numerator: bigint, denominator: bigint): Extended => {
  if (numerator === 0n) return { significand: 0n, exponent: 0 }
  const sign = numerator < 0n ? -1n : 1n
  const top = numerator * sign
  let exponent = bitLength(top) - bitLength(denominator) - BITS
  const scaled = (shift: number): bigint =>
    shift > 0 ? divideRounding(top, denominator << BigInt(shift)) : divideRounding(top << BigInt(-shift), denominator)
  let significand = scaled(exponent)
  if (bitLength(significand) > BITS) significand = scaled(++exponent)
  return { significand: significand * sign, exponent }
}

const DECIMAL = /^([+-]?)(\d*)(?:\.(\d*))?(?:[eE]([+-]?\d{1,5}))?$/

/** @returns undefined: no decimal number, or one too large */
export const parseExtended = (text: string): Extended | undefined => {
  const [, sign, whole = '', part = '', power = '0'] = DECIMAL.exec(text) ?? []
  if (sign === undefined || whole + part === '') return undefined
  const tens = Number(power) - part.length
  if (Math.abs(tens) > LARGEST_EXPONENT || whole.length > LARGEST_EXPONENT || part.length > LARGEST_EXPONENT)
    return undefined
  const digits = BigInt(whole + part) * (sign === '-' ? -1n : 1n)
  return tens >= 0 ? fromFraction(digits * 10n ** BigInt(tens), 1n) : fromFraction(digits, 10n ** BigInt(-tens))
}

export const addExtended = (a: Extended, b: Extended): Extended => {
  const exponent = Math.min(a.exponent, b.exponent)
  const sum = (a.significand << BigInt(a.exponent - exponent)) + (b.significand << BigInt(b.exponent - exponent))
  return exponent >= 0 ? fromFraction(sum << BigInt(exponent), 1n) : fromFraction(sum, 1n << BigInt(-exponent))
}

/** With at most 17 digits behind the point, and none that say nothing. */
export const formatExtended = ({ significand, exponent }: Extended): string => {
  const sign = significand < 0n ? '-' : ''
  const top = significand < 0n ? -significand : significand
  const scale = 10n ** BigInt(DIGITS)
  const scaled =
    exponent >= 0 ? (top << BigInt(exponent)) * scale : divideRounding(top * scale, 1n << BigInt(-exponent))
  const whole = scaled / scale
  const part = (scaled % scale).toString().padStart(DIGITS, '0').replace(/0+$/, '')
  const text = part === '' ? whole.toString() : `${whole}.${part}`
  return text === '0' ? '0' : sign + text
}
