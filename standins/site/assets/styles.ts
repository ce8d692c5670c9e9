/** A home-grown framework of which the site uses a handful of rules: every column, gap and colour at five widths. */
export const frameworkCss = (): string => {
  const rules: string[] = ['/* Harbour grid 2.9, all parts */', '*, *::before, *::after { box-sizing: border-box; }', 'body { margin: 0; }']
  for (const [infix, width] of [['', 0], ['-sm', 576], ['-md', 768], ['-lg', 992], ['-xl', 1200]] as const) {
    const inner: string[] = []
    for (let n = 1; n <= 12; n++) {
      inner.push(`.col${infix}-${n} {\n  flex: 0 0 ${((n / 12) * 100).toFixed(6)}%;\n  max-width: ${((n / 12) * 100).toFixed(6)}%;\n}`)
      inner.push(`.offset${infix}-${n} {\n  margin-left: ${((n / 12) * 100).toFixed(6)}%;\n}`)
    }
    for (const side of ['top', 'right', 'bottom', 'left'])
      for (let n = 0; n <= 8; n++) {
        inner.push(`.m${side[0]}${infix}-${n} {\n  margin-${side}: ${n * 0.25}rem;\n}`)
        inner.push(`.p${side[0]}${infix}-${n} {\n  padding-${side}: ${n * 0.25}rem;\n}`)
      }
    rules.push(width === 0 ? inner.join('\n') : `@media (min-width: ${width}px) {\n${inner.join('\n')}\n}`)
  }
  return rules.join('\n')
}

export const iconsCss = (): string =>
  Array.from({ length: 220 }, (_, i) => `.icon-${i + 1}::before {\n  content: "\\${(0xe000 + i).toString(16)}";\n  display: inline-block;\n  width: 1em;\n}`).join('\n')

const face = (family: string, file: string, weight: number): string =>
  `@font-face {\n  font-family: "${family}";\n  font-weight: ${weight};\n  font-display: block;\n  src: url("/assets/${file}") format("woff");\n}`

export const THEME_CSS = `${face('Sound Text', 'text-400.woff', 400)}
${face('Sound Text', 'text-700.woff', 700)}
${face('Sound Head', 'head-400.woff', 400)}
${face('Sound Head', 'head-700.woff', 700)}
body { font: 17px/1.6 "Sound Text", sans-serif; color: #1d2b33; background: #f5f3ec; }
h1, h2, h3, .brand { font-family: "Sound Head", serif; line-height: 1.2; }
h2 { font-weight: 400; }
a { color: #14506b; }
img { max-width: 100%; display: block; }
.site-head { display: flex; flex-wrap: wrap; gap: 0 24px; align-items: center; padding: 14px 24px; background: #17384a; color: #fff; }
.site-head a { color: #fff; }
.site-head p { margin: 0; opacity: .8; }
.brand { font-size: 26px; font-weight: 700; text-decoration: none; }
.main-menu ul { display: flex; flex-wrap: wrap; gap: 18px; list-style: none; margin: 0; padding: 0; }
.account { margin-left: auto; }
.menu-toggle { display: none; }
main { max-width: 1100px; margin: 0 auto; padding: 24px; }
.grid { display: grid; grid-template-columns: repeat(auto-fill, minmax(220px, 1fr)); gap: 20px; }
.card { background: #fff; text-decoration: none; border-radius: 4px; overflow: hidden; }
.card h3, .card p { margin: 8px 12px; }
.film { border: 0; max-width: 100%; background: #0d1f29; }
.departures { background: #fff; padding: 12px 20px; margin: 24px 0; }
.times { border-collapse: collapse; width: 100%; }
.times td, .times th { border: 1px solid #cfd8dc; padding: 6px 10px; text-align: left; }
.site-foot { display: grid; grid-template-columns: repeat(auto-fit, minmax(220px, 1fr)); gap: 24px; padding: 24px; background: #17384a; color: #dfe8ec; }
.site-foot a { color: #fff; }
@media (max-width: 640px) {
  .menu-toggle { display: block; }
  .main-menu { display: none; }
  .main-menu.open { display: block; width: 100%; }
}
`

export const SLIDER_CSS = `.slider { position: relative; overflow: hidden; }
.slide { display: none; position: relative; }
.slide:first-child { display: block; }
.slider.ready .slide { display: none; }
.slider.ready .slide.shown { display: block; }
.slide h1 { position: absolute; left: 24px; bottom: 16px; margin: 0; color: #fff; text-shadow: 0 1px 8px #000; }
`

export const FORMS_CSS = `form label { display: block; margin: 12px 0; }
input, textarea { display: block; width: 100%; max-width: 480px; padding: 8px; font: inherit; }
textarea { min-height: 120px; }
button { font: inherit; padding: 8px 18px; background: #c96a3d; color: #fff; border: 0; border-radius: 4px; }
blockquote { margin: 12px 0; padding: 8px 16px; background: #fff; }
.consent { position: fixed; bottom: 0; left: 0; right: 0; padding: 12px 24px; background: #fff; box-shadow: 0 0 12px #0003; }
`
