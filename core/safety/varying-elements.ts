import type { SeenElement, PageSnapshot } from '../contracts/safety.ts'
import { differingSquares, SQUARE, widened } from './grid.ts'

/** What differs between two loads of the same page, and so says nothing about a trial. */
export interface Varying {
  /** Keys of elements that come, go, move, or say something else. */
  readonly elements: ReadonlySet<string>
  readonly console: ReadonlySet<string>
  readonly failed: ReadonlySet<string>
  readonly squares: ReadonlySet<string>
  /** Controls that react every time. */
  readonly alive: ReadonlySet<string>
  /** Elements that changed by themselves while they were watched. */
  readonly moving: ReadonlySet<string>
  /** Share of elements that vary, 0 to 1. */
  readonly share: number
}

/** Elements nearer than this are where they were; fractions come from zoom and fonts. CSS pixels. */
export const SAME_PLACE = 8

export const sameBox = (a: SeenElement['box'], b: SeenElement['box']): boolean =>
  a.every((value, index) => Math.abs(value - (b[index] ?? 0)) <= SAME_PLACE)

const byKey = (elements: readonly SeenElement[]): Map<string, SeenElement> =>
  new Map(elements.map((element) => [element.key, element]))

const differingKeys = (a: readonly SeenElement[], b: readonly SeenElement[]): Set<string> => {
  const [one, other] = [byKey(a), byKey(b)]
  const keys = new Set([...one.keys(), ...other.keys()])
  return new Set(
    [...keys].filter((key) => {
      const [x, y] = [one.get(key), other.get(key)]
      return x === undefined || y === undefined || x.text !== y.text || x.look !== y.look || !sameBox(x.box, y.box)
    }),
  )
}

/** Squares that a box touches. */
const squaresOf = ([left, top, width, height]: SeenElement['box']): string[] => {
  const squares: string[] = []
  for (let row = Math.floor(top / SQUARE); row * SQUARE < top + height; row++)
    for (let column = Math.floor(left / SQUARE); column * SQUARE < left + width; column++)
      squares.push(`${row} ${column}`)
  return squares
}

/** What two loads of the same page have taught. @param b was watched for longer */
export const learnVarying = (a: PageSnapshot, b: PageSnapshot): Varying => {
  const elements = new Set([
    ...differingKeys(a.elements, b.elements),
    ...differingKeys(a.untouched, b.untouched),
    ...a.moving,
    ...b.moving,
  ])
  const reacted = (sight: PageSnapshot): string[] => sight.controls.filter((one) => one.reacted).map(({ key }) => key)
  const inA = new Set(reacted(a))
  const all = new Set([...a.elements, ...b.elements].map(({ key }) => key)).size
  return {
    elements,
    console: new Set([...a.console, ...b.console]),
    failed: new Set([...a.failed, ...b.failed].map(({ path }) => path)),
    squares: new Set([
      ...(a.grid === null || b.grid === null ? [] : widened(differingSquares(a.grid, b.grid), 2)),
      // Also where both happened to look the same: the next slide may be another.
      ...[...a.elements, ...b.elements].filter(({ key }) => elements.has(key)).flatMap(({ box }) => squaresOf(box)),
    ]),
    alive: new Set(reacted(b).filter((key) => inA.has(key))),
    moving: new Set(b.moving),
    share: all === 0 ? 0 : elements.size / all,
  }
}

/** What a quick look can be compared with: what shows without touching the page. */
export const quickSight = (sight: PageSnapshot): PageSnapshot => ({
  ...sight,
  elements: [],
  pictures: [],
  fonts: [],
  controls: [],
  moving: [],
  grid: null,
  journeys: [],
})

/** What one more load of the same teaches besides: whatever it shows is no fault of a trial. */
export const learnMore = (known: Varying, first: PageSnapshot, again: PageSnapshot): Varying => {
  const more = learnVarying(first, again)
  const union = <T>(a: ReadonlySet<T>, b: ReadonlySet<T>): Set<T> => new Set([...a, ...b])
  return {
    elements: union(known.elements, more.elements),
    console: union(known.console, more.console),
    failed: union(known.failed, more.failed),
    squares: union(known.squares, more.squares),
    alive: new Set([...known.alive].filter((key) => more.alive.has(key))),
    moving: known.moving,
    share: Math.max(known.share, more.share),
  }
}
