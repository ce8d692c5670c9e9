import { csvParseRows } from 'd3-dsv'
import { Place } from '../contracts/measuring.ts'
import type { Audience } from '../contracts/regions.ts'
import { parseLogLine, visitedPage } from '../formats/access-log.ts'
import { addressNumber, networkOf, type Network } from '../http/networks.ts'

/** Networks and the place of each, for the search by halves: none reaches into another. */
export interface NetworkTable {
  /** Ascending. Addresses of both families as one number (RFC 4291 §2.5.5.2 maps IPv4). */
  readonly firsts: readonly bigint[]
  readonly lasts: readonly bigint[]
  readonly places: readonly Place[]
  /** What could not be read, by line. */
  readonly problems: readonly string[]
}

/** Columns of a table of networks, in order. */
const COLUMNS = ['network', 'name', 'latitude', 'longitude'] as const
const BITS = 128n

interface PlacedNetwork extends Network {
  readonly place: Place
}

/** Where networks lie in each other, the smaller one says where its addresses are. @param ordered by first address, the larger before the smaller */
const flattened = (ordered: readonly PlacedNetwork[]): PlacedNetwork[] => {
  const parts: PlacedNetwork[] = []
  const around: PlacedNetwork[] = []
  let from = 0n
  const closeUntil = (end: bigint): void => {
    for (let inner = around.at(-1); inner !== undefined && inner.last < end; inner = around.at(-1)) {
      if (from <= inner.last) parts.push({ ...inner, first: from })
      from = inner.last + 1n > from ? inner.last + 1n : from
      around.pop()
    }
  }
  for (const network of ordered) {
    closeUntil(network.first)
    const outer = around.at(-1)
    if (outer !== undefined && from < network.first) parts.push({ ...outer, first: from, last: network.first - 1n })
    from = network.first
    around.push(network)
  }
  closeUntil(1n << BITS)
  return parts
}

/**
 * Read which networks are where: comma-separated values (RFC 4180) with a line of column names. A line that cannot be read is left out and named.
 */
export const readNetworks = (text: string): NetworkTable => {
  const [head = [], ...lines] = csvParseRows(text.replace(/^\uFEFF/, ''))
  const names = head.map((name) => name.trim().toLowerCase())
  const missing = COLUMNS.filter((name) => !names.includes(name))
  const problems: string[] = []
  if (missing.length > 0)
    problems.push(`Line 1: there is no column ${missing.join(', ')}. Columns: ${COLUMNS.join(', ')}.`)
  const networks: PlacedNetwork[] = []
  for (const [at, cells] of missing.length > 0 ? [] : lines.entries()) {
    if (cells.every((cell) => cell.trim() === '')) continue
    const cell = (name: (typeof COLUMNS)[number]): string => (cells[names.indexOf(name)] ?? '').trim()
    const network = networkOf(cell('network'))
    const place = Place.safeParse({
      name: cell('name'),
      latitude: cell('latitude') === '' ? Number.NaN : Number(cell('latitude')),
      longitude: cell('longitude') === '' ? Number.NaN : Number(cell('longitude')),
    })
    if (network === undefined) problems.push(`Line ${at + 2}: "${cell('network').slice(0, 60)}" is no network.`)
    else if (!place.success) problems.push(`Line ${at + 2}: the place cannot be read.`)
    else networks.push({ ...network, place: place.data })
  }
  const ordered = networks.toSorted((a, b) =>
    a.first === b.first ? Number(b.last > a.last) - Number(b.last < a.last) : a.first < b.first ? -1 : 1,
  )
  const parts = flattened(ordered)
  return {
    firsts: parts.map(({ first }) => first),
    lasts: parts.map(({ last }) => last),
    places: parts.map(({ place }) => place),
    problems,
  }
}

/** Where an address is. @returns undefined where no network of the table holds it */
export const placeOfAddress = ({ firsts, lasts, places }: NetworkTable, text: string): Place | undefined => {
  const address = addressNumber(text)
  if (address === undefined) return undefined
  let low = 0
  let high = firsts.length
  while (low < high) {
    const middle = (low + high) >> 1
    if ((firsts[middle] ?? 0n) <= address) low = middle + 1
    else high = middle
  }
  const found = low - 1
  return address <= (lasts[found] ?? -1n) ? places[found] : undefined
}

/** Whose visits an access log holds, by place. */
export interface LoggedAudience {
  /** Shares are visits of pages. */
  readonly audience: Audience[]
  readonly visits: number
  /** Visits from addresses that no network of the table holds. */
  readonly unplaced: number
  /** Lines in another format. */
  readonly notUnderstood: number
}

/** Visits of pages by the place they came from; files, errors and forms are none. Addresses are looked up and forgotten. */
export class LoggedVisits {
  readonly #table: NetworkTable
  readonly #byPlace = new Map<string, { place: Place; share: number }>()
  #visits = 0
  #unplaced = 0
  #notUnderstood = 0

  constructor(table: NetworkTable) {
    this.#table = table
  }

  /** @param line of an access log in Common or Combined Log Format */
  add(line: string): void {
    if (line.trim() === '') return
    const request = parseLogLine(line)
    if (request === undefined) this.#notUnderstood++
    if (request === undefined || visitedPage(request) === undefined) return
    this.#visits++
    const place = placeOfAddress(this.#table, line.slice(0, line.indexOf(' ')))
    if (place === undefined) this.#unplaced++
    else this.#count(place)
  }

  #count(place: Place): void {
    const key = `${place.name} ${place.latitude} ${place.longitude}`
    const counted = this.#byPlace.get(key) ?? { place, share: 0 }
    counted.share++
    this.#byPlace.set(key, counted)
  }

  /** Most first. */
  result(): LoggedAudience {
    return {
      audience: [...this.#byPlace.values()].toSorted((a, b) => b.share - a.share),
      visits: this.#visits,
      unplaced: this.#unplaced,
      notUnderstood: this.#notUnderstood,
    }
  }
}
