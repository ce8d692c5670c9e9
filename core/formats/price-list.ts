import { csvFormatRows, csvParseRows } from 'd3-dsv'
import { Region, type PriceStep } from '../contracts/regions.ts'

/** Columns of a price list, in order. */
const COLUMNS = ['name', 'latitude', 'longitude', 'per_month', 'per_gb', 'per_million_requests'] as const

/** A price list as read: its regions, and what could not be read, by line. */
export interface PriceList {
  readonly regions: Region[]
  readonly problems: string[]
}

const numberOf = (text: string): number => (text.trim() === '' ? Number.NaN : Number(text))

/** Steps of a price per GB: `0.08 to 10000; 0.06`, or one price. */
const stepsOf = (text: string): PriceStep[] =>
  text.split(';').map((step) => {
    const [price = '', upTo] = step.split(/\bto\b/)
    return { perGb: numberOf(price), upToGb: upTo === undefined ? null : numberOf(upTo) }
  })

const rising = (steps: readonly PriceStep[]): boolean =>
  steps.every(({ upToGb }, at) => {
    const before = at === 0 ? 0 : (steps[at - 1]?.upToGb ?? Number.POSITIVE_INFINITY)
    return upToGb === null ? at === steps.length - 1 : upToGb > before
  })

const FIELD_NAMES: Record<string, string> = {
  name: 'name',
  latitude: 'latitude',
  longitude: 'longitude',
  perMonth: 'per_month',
  perGb: 'per_gb',
  perMillionRequests: 'per_million_requests',
}

/**
 * Read a price list as comma-separated values (RFC 4180) with a line of column names. A column that is missing counts as 0, except the place and the
 * price per GB; a line with gaps is left out and named.
 */
export const readPriceList = (text: string): PriceList => {
  const [head = [], ...lines] = csvParseRows(text.replace(/^\uFEFF/, ''))
  const names = head.map((name) => name.trim().toLowerCase())
  const missing = ['name', 'latitude', 'longitude', 'per_gb'].filter((name) => !names.includes(name))
  if (missing.length > 0)
    return {
      regions: [],
      problems: [`Line 1: there is no column ${missing.join(', ')}. Columns: ${COLUMNS.join(', ')}.`],
    }
  const regions: Region[] = []
  const problems: string[] = []
  for (const [at, cells] of lines.entries()) {
    if (cells.every((cell) => cell.trim() === '')) continue
    const cell = (name: string): string => cells[names.indexOf(name)] ?? ''
    const optional = (name: string): number => (names.includes(name) ? numberOf(cell(name)) : 0)
    const name = cell('name').trim()
    const read = Region.safeParse({
      name,
      place: { name, latitude: numberOf(cell('latitude')), longitude: numberOf(cell('longitude')) },
      perMonth: optional('per_month'),
      perGb: stepsOf(cell('per_gb')),
      perMillionRequests: optional('per_million_requests'),
    })
    const line = `Line ${at + 2}`
    if (!read.success) {
      const fields = read.error.issues.map(({ path }) => FIELD_NAMES[String(path[0] === 'place' ? path[1] : path[0])])
      problems.push(`${line}: ${[...new Set(fields)].join(', ')} cannot be read.`)
    } else if (!rising(read.data.perGb)) problems.push(`${line}: the steps of per_gb must rise, the last without "to".`)
    else if (regions.some((one) => one.name === name)) problems.push(`${line}: "${name}" is there twice.`)
    else regions.push(read.data)
  }
  return { regions, problems }
}

const textOf = (steps: readonly PriceStep[]): string =>
  steps.map(({ perGb, upToGb }) => (upToGb === null ? String(perGb) : `${perGb} to ${upToGb}`)).join('; ')

/** A price list as comma-separated values, which can be read again. */
export const writePriceList = (regions: readonly Region[]): string =>
  csvFormatRows([
    [...COLUMNS],
    ...regions.map(({ name, place, perMonth, perGb, perMillionRequests }) => [
      name,
      String(place.latitude),
      String(place.longitude),
      String(perMonth),
      textOf(perGb),
      String(perMillionRequests),
    ]),
  ])
