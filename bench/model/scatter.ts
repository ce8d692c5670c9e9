import { JUDGED, JUDGES, type Case, type Judged } from './judge.ts'

const TITLES: Record<Judged, string> = {
  fcpMs: 'First paint',
  lcpMs: 'Main content',
  loadedMs: 'Fully loaded',
}
/** One mark for each visitor, so that no colour is needed to tell them apart. */
const MARKS: ((x: number, y: number) => string)[] = [
  (x, y) => `<circle cx="${x}" cy="${y}" r="4"/>`,
  (x, y) => `<rect x="${x - 3.5}" y="${y - 3.5}" width="7" height="7"/>`,
  (x, y) => `<path d="M${x} ${y - 5}l5 9h-10z"/>`,
  (x, y) => `<path d="M${x - 4} ${y - 4}l8 8m0-8l-8 8" stroke-width="1.6"/>`,
]
const SIZE = 300
const PLACE = 380
const TICKS_S = [0.3, 1, 3, 10]

/** Seconds on a logarithmic axis from 0.3 to 10. */
const at = (ms: number): number =>
  Math.round(((Math.log(ms / 1000) - Math.log(0.3)) / (Math.log(10) - Math.log(0.3))) * SIZE)

/** Predicted over measured for every page and visitor, one field for each figure. @returns an SVG document */
export const scatter = (cases: readonly Case[]): string => {
  const fields = JUDGED.map((name, index) => {
    const dots = cases.map(({ visitor, measured, predicted }) =>
      MARKS[JUDGES.findIndex(({ id }) => id === visitor)]!(at(measured[name]), SIZE - at(predicted[name])),
    )
    const ticks = TICKS_S.map(
      (s) =>
        `<text x="${at(s * 1000)}" y="${SIZE + 16}" text-anchor="middle">${s}</text><text x="-8" y="${SIZE - at(s * 1000) + 4}" text-anchor="end">${s}</text>`,
    )
    return `<g transform="translate(${50 + index * PLACE} 40)">
<text y="-14" font-weight="bold">${TITLES[name]}</text><rect width="${SIZE}" height="${SIZE}" fill="none" stroke="#777"/>
<path d="M0 ${SIZE}L${SIZE} 0" stroke="#777" stroke-dasharray="4 4"/>${ticks.join('')}
<g fill="none" stroke="#0b5c63">${dots.join('')}</g>
<text x="${SIZE / 2}" y="${SIZE + 34}" text-anchor="middle">measured, s</text></g>`
  })
  const legend = JUDGES.map(
    ({ name }, index) =>
      `<g transform="translate(${50 + index * 210} 400)"><g fill="none" stroke="#0b5c63">${MARKS[index]!(0, 0)}</g><text x="10" y="4">${name}</text></g>`,
  )
  return `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${PLACE * JUDGED.length} 420" font-family="sans-serif" font-size="12">
<rect width="100%" height="100%" fill="#fff"/>${fields.join('')}${legend.join('')}
<text transform="translate(14 190) rotate(-90)" text-anchor="middle">predicted, s</text></svg>
`
}
