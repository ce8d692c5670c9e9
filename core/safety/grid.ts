import type { Box, ColourGrid } from '../contracts/safety.ts'

/** Side of the squares a page is compared in, CSS pixels. */
export const SQUARE = 8
/** Squares whose mean colour differs by more than this in one of red, green and blue look different; the demo's photos stay below it as AVIF of quality 80. */
const DIFFERENT = 28

/**
 * Mean colour of each square of a picture.
 * @param rgb three bytes a pixel, row by row
 */
export const colourGrid = (
  rgb: Uint8Array,
  width: number,
  height: number,
  toBase64: (bytes: Uint8Array) => string,
): ColourGrid => {
  const columns = Math.ceil(width / SQUARE)
  const rows = Math.ceil(height / SQUARE)
  const sums = new Float64Array(columns * rows * 3)
  const counts = new Uint32Array(columns * rows)
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const square = Math.floor(y / SQUARE) * columns + Math.floor(x / SQUARE)
      const pixel = (y * width + x) * 3
      for (let c = 0; c < 3; c++) sums[square * 3 + c]! += rgb[pixel + c]!
      counts[square]!++
    }
  const means = Uint8Array.from(sums, (sum, index) => Math.round(sum / counts[Math.floor(index / 3)]!))
  return { size: SQUARE, columns, rows, rgb: toBase64(means) }
}

const decoded = (base64: string): Uint8Array => Uint8Array.from(atob(base64), (char) => char.charCodeAt(0))

/** Squares, by row and column, in which two pages look different; also those that only one of them has. */
export const differingSquares = (a: ColourGrid, b: ColourGrid): Set<string> => {
  const [one, other] = [decoded(a.rgb), decoded(b.rgb)]
  const differing = new Set<string>()
  for (let row = 0; row < Math.max(a.rows, b.rows); row++)
    for (let column = 0; column < Math.max(a.columns, b.columns); column++) {
      const inBoth = row < a.rows && row < b.rows && column < a.columns && column < b.columns
      const at = (grid: ColourGrid): number => (row * grid.columns + column) * 3
      const differs = !inBoth || [0, 1, 2].some((c) => Math.abs(one[at(a) + c]! - other[at(b) + c]!) > DIFFERENT)
      if (differs) differing.add(`${row} ${column}`)
    }
  return differing
}

/** Squares and their neighbours: what varies by itself seldom keeps to its squares. */
export const widened = (squares: ReadonlySet<string>, by = 1): Set<string> => {
  const wide = new Set<string>()
  for (const square of squares) {
    const [row, column] = square.split(' ').map(Number) as [number, number]
    for (let dy = -by; dy <= by; dy++) for (let dx = -by; dx <= by; dx++) wide.add(`${row + dy} ${column + dx}`)
  }
  return wide
}

/** Squares as few boxes, runs of a row joined and rows of equal runs put together; CSS pixels. */
export const boxesOf = (squares: ReadonlySet<string>): Box[] => {
  const rows = new Map<number, number[]>()
  for (const square of squares) {
    const [row, column] = square.split(' ').map(Number) as [number, number]
    if (row < 0 || column < 0) continue
    rows.set(row, [...(rows.get(row) ?? []), column])
  }
  const open = new Map<string, { row: number; until: number; from: number; to: number }>()
  const done: { row: number; until: number; from: number; to: number }[] = []
  for (const row of [...rows.keys()].sort((a, b) => a - b)) {
    const columns = rows.get(row)!.sort((a, b) => a - b)
    const runs: [number, number][] = []
    for (const column of columns) {
      const last = runs.at(-1)
      if (last !== undefined && last[1] === column - 1) last[1] = column
      else runs.push([column, column])
    }
    const continued = new Set<string>()
    for (const [from, to] of runs) {
      const name = `${from} ${to}`
      const above = open.get(name)
      if (above !== undefined && above.until === row - 1) above.until = row
      else {
        const fresh = { row, until: row, from, to }
        open.set(name, fresh)
        done.push(fresh)
      }
      continued.add(name)
    }
    for (const name of open.keys()) if (!continued.has(name)) open.delete(name)
  }
  return done.map(({ row, until, from, to }) => [
    from * SQUARE,
    row * SQUARE,
    (to - from + 1) * SQUARE,
    (until - row + 1) * SQUARE,
  ])
}
