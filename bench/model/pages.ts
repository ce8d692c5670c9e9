import { randomFrom } from '../../core/stats/random.ts'

/** Made-up pages of many shapes, the same for the same seed: what the load model is judged on. */

export interface Piece {
  readonly path: string
  readonly kind: 'style' | 'script' | 'image' | 'font'
  readonly host: 'own' | 'third'
  readonly bytes: number
  readonly waitMs: number
  /** Scripts: turns of a busy loop. */
  readonly turns: number
  readonly how: 'head' | 'body' | 'defer' | 'async' | 'import' | 'lazy' | 'inserted' | 'plain'
}

export interface PageSpec {
  readonly seed: number
  readonly scheme: 'http' | 'https'
  readonly htmlBytes: number
  readonly waitMs: number
  readonly pieces: readonly Piece[]
}

/** @returns a page between a leaflet and a heavily furnished front page */
export const makeUpPage = (seed: number): PageSpec => {
  const next = randomFrom(seed * 7919 + 13)
  const between = (low: number, high: number): number => Math.round(low + next() * (high - low))
  const sometimes = (share: number): boolean => next() < share
  let count = 0
  const piece = (kind: Piece['kind'], how: Piece['how'], bytes: number, turns = 0, third = false): Piece => ({
    path: `/${seed}/${kind}-${count++}.${{ style: 'css', script: 'js', image: 'jpg', font: 'woff2' }[kind]}`,
    kind,
    host: third ? 'third' : 'own',
    bytes,
    waitMs: between(5, sometimes(0.2) ? 150 : 40),
    turns,
    how,
  })
  const many = (most: number, make: () => Piece): Piece[] => Array.from({ length: between(0, most) }, make)
  return {
    seed,
    scheme: seed % 3 === 0 ? 'https' : 'http',
    htmlBytes: between(4000, 90_000),
    waitMs: between(20, sometimes(0.3) ? 900 : 250),
    pieces: [
      piece('style', 'head', between(2000, 90_000)),
      ...many(3, () => piece('style', 'head', between(1000, 40_000))),
      ...(sometimes(0.3) ? [piece('style', 'import', between(1000, 20_000))] : []),
      ...many(2, () => piece('script', 'head', between(2000, 120_000), between(0, 4_000_000), sometimes(0.2))),
      ...(sometimes(0.4) ? [piece('script', 'body', between(1000, 60_000), between(0, 3_000_000))] : []),
      ...many(3, () => piece('script', 'defer', between(2000, 90_000), between(0, 5_000_000))),
      ...(sometimes(0.4) ? [piece('script', 'async', between(2000, 60_000), between(0, 4_000_000), true)] : []),
      ...(sometimes(0.5) ? [piece('font', 'plain', 0)] : []),
      piece('image', 'plain', between(20_000, 400_000)),
      ...many(18, () => piece('image', sometimes(0.2) ? 'lazy' : 'plain', between(3000, 90_000), 0, sometimes(0.1))),
      ...(sometimes(0.3) ? [piece('image', 'inserted', between(5000, 60_000))] : []),
    ],
  }
}

const WORDS = 'tide quay ferry sound harbour lantern notice vessel timetable crossing anchor gull mooring swell'.split(
  ' ',
)

const paragraph = (next: () => number): string =>
  `<p>${Array.from({ length: 60 }, () => WORDS[Math.floor(next() * WORDS.length)]).join(' ')}</p>\n`

/** The HTML of a page. @param addressOf the address of one of its pieces */
export const pageHtml = (spec: PageSpec, addressOf: (piece: Piece) => string): string => {
  const next = randomFrom(spec.seed)
  const of = (how: Piece['how'], kind?: Piece['kind']): Piece[] =>
    spec.pieces.filter((piece) => piece.how === how && (kind === undefined || piece.kind === kind))
  const script = (piece: Piece, more = ''): string => `<script src="${addressOf(piece)}"${more}></script>\n`
  const [hero, ...pictures] = [...of('plain', 'image'), ...of('lazy')]
  const images = pictures.map(
    (piece) =>
      `<img src="${addressOf(piece)}" alt="" width="120" height="90"${piece.how === 'lazy' ? ' loading="lazy"' : ''}>\n`,
  )
  const head = [
    '<!doctype html><html lang="en"><head><meta charset="utf-8"><title>Quay</title><meta name="viewport" content="width=device-width">',
    ...of('head', 'style').map((piece) => `<link rel="stylesheet" href="${addressOf(piece)}">`),
    ...of('head', 'script').map((piece) => script(piece)),
    ...of('defer').map((piece) => script(piece, ' defer')),
    ...of('async').map((piece) => script(piece, ' async')),
    '</head><body>',
  ].join('\n')
  const top = `<h1>Nine quays</h1>\n<img src="${addressOf(hero!)}" alt="" width="360" height="270" id="hero">\n${paragraph(next)}`
  let body = ''
  let index = 0
  while (head.length + top.length + body.length < spec.htmlBytes || index < images.length)
    body += (images[index++] ?? '') + paragraph(next)
  const inserted = of('inserted').map(
    (piece) =>
      `const picture = new Image(120, 90); picture.src = ${JSON.stringify(addressOf(piece))}; document.body.append(picture)`,
  )
  const last = inserted.length === 0 ? '' : `<script>addEventListener('load', () => { ${inserted.join(';')} })</script>`
  return `${head}${top}${body}${of('body')
    .map((piece) => script(piece))
    .join('')}${last}</body></html>`
}
