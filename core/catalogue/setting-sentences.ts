import type { OptionInput } from './remedy.ts'

const UNITS = [
  ['year', 31_536_000],
  ['day', 86_400],
  ['hour', 3600],
  ['minute', 60],
] as const

/** A lifetime as people say it: "10 hours", "7 days". @param s whole seconds */
export const durationInWords = (s: number): string => {
  for (const [unit, size] of UNITS)
    if (s >= size && s % size === 0) return `${s / size} ${unit}${s === size ? '' : 's'}`
  return `${s} second${s === 1 ? '' : 's'}`
}

/** About how long: the largest unit of which there are at least two, rounded. @param s seconds, 0 or more */
export const roughlyInWords = (s: number): string => {
  for (const [unit, size] of UNITS) if (s >= 2 * size) return `${Math.round(s / size)} ${unit}s`
  return durationInWords(Math.round(s))
}

/** The value of a setting as people say it. */
export const settingInWords = (input: OptionInput, value: unknown): string => {
  switch (input.kind) {
    case 'duration':
      return durationInWords(Number(value))
    case 'bytes':
      return `${Number(value)} bytes`
    case 'switch':
      return value === true ? 'on' : 'off'
    case 'patterns':
      return Array.isArray(value) && value.length > 0 ? value.join(', ') : 'none'
    case 'choice':
      return input.choices.find((choice) => choice.value === value)?.title ?? String(value)
    case 'number':
      return `${Number(value)} ${input.unit}`
    case 'text':
      return value === '' ? 'nothing' : `“${String(value)}”`
    case 'exceptions':
      return Array.isArray(value) && value.length > 0 ? `${value.length} excluded` : 'nothing excluded'
    case 'next-pages':
      return Array.isArray(value) && value.length > 0
        ? `${value.length} ${value.length === 1 ? 'rule' : 'rules'}`
        : 'no rules'
    case 'kinds':
      return Array.isArray(value) && value.length > 0 ? `${value.length} named` : 'none named'
  }
}
