import type { SeenElement, PageSnapshot } from '../../contracts/safety.ts'
import { colourGrid } from '../grid.ts'

/** For tests: made-up sights of pages. */

export const anElement = (key: string, about: Partial<SeenElement> = {}): SeenElement => ({
  key,
  what: 'text',
  box: [0, 0, 100, 20],
  look: 'color: black; display: block',
  text: `Text of ${key}`,
  ...about,
})

/** A page of one colour, some squares of another. @param painted squares as "row column" */
export const aGrid = (painted: readonly string[] = [], columns = 10, rows = 10) => {
  const [width, height] = [columns * 8, rows * 8]
  const rgb = new Uint8Array(width * height * 3).fill(200)
  for (const square of painted) {
    const [row, column] = square.split(' ').map(Number) as [number, number]
    for (let y = row * 8; y < row * 8 + 8; y++)
      rgb.fill(20, (y * width + column * 8) * 3, (y * width + column * 8 + 8) * 3)
  }
  return colourGrid(rgb, width, height, (bytes) => Buffer.from(bytes).toString('base64'))
}

export const aSight = (about: Partial<PageSnapshot> = {}): PageSnapshot => {
  const elements = about.elements ?? ['h1', 'p', 'button'].map((key) => anElement(key))
  return {
    status: 200,
    title: 'Ferries',
    console: [],
    failed: [],
    untouched: [],
    pictures: [],
    fonts: [],
    controls: [],
    moving: [],
    grid: aGrid(),
    picture: '',
    journeys: [],
    ...about,
    elements,
  }
}
