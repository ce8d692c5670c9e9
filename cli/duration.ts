import { UsageError } from './command-line.ts'

const UNITS = { s: 1, m: 60, h: 3600, d: 86_400 } as const

/** Seconds as a duration is typed, in the largest unit that leaves at most one decimal. */
export const asDuration = (seconds: number): string => {
  const [unit, size] = (['d', 'h', 'm'] as const)
    .map((one) => [one, UNITS[one]] as const)
    .find(([, one]) => seconds >= one) ?? ['s', 1]
  return `${Math.round((10 * seconds) / size) / 10}${unit}`
}

/** A duration as it is typed, such as 90s, 10m, 4h or 7d. @returns seconds @throws UsageError */
export const secondsOf = (typed: string, option: string): number => {
  const [, value, unit] = /^(\d+(?:\.\d+)?)([smhd])$/.exec(typed) ?? []
  if (value === undefined || unit === undefined)
    throw new UsageError(`${option} is a duration such as 10m, 4h or 7d; "${typed}" is not.`)
  return Math.round(Number(value) * UNITS[unit as keyof typeof UNITS])
}
