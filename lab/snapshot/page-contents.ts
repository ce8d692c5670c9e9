import type { ShownImage } from '../../core/contracts/measuring.ts'
import type {} from './initial-viewport.ts'

export interface PageContents {
  images: ShownImage[]
  /** Faces whose file has come, with what CSS says of them. */
  faces: { family: string; display: string; urls: string[] }[]
  dom: { nodes: number; depth: number }
  firstView: { selectors: string[]; fonts: string[]; later: string[] }
}

/**
 * Runs in the page once it is quiet: what pictures, fonts and elements there are, and with what was remembered of the moment the main content was painted,
 * what of it the initial viewport needs. It may use nothing from outside.
 */
export const readContents = (): PageContents => {
  const view = { width: window.innerWidth, height: window.innerHeight }
  const first = window.__zestSeenFirst
  /** Whether a picture is in the initial viewport: it was when the main content came, or is by now, unless it was hidden then. */
  const seenFirst = (image: Element, isIn: boolean): boolean =>
    first === undefined ? isIn : first.elements.has(image) || (isIn && first.widths.has(image))
  /**
   * Whether a width on the element decides, as it does unless a style gives another; tried with one and taken back. A share of the container does not
   * count: one that fits itself to what is in it may go by the picture's pixels after all.
   */
  const widthHeld = (image: HTMLImageElement): boolean => {
    const before = image.getAttribute('width')
    image.setAttribute('width', '77')
    const decided = /px$/.test(String(image.computedStyleMap().get('width')))
    if (before === null) image.removeAttribute('width')
    else image.setAttribute('width', before)
    return decided
  }
  /** A picture that stands in the page itself goes by the address that its element names beside. */
  const addressOf = ({ currentSrc, src }: HTMLImageElement): string =>
    currentSrc.startsWith('data:') ? src : currentSrc
  const images = [...document.images]
    .filter((image) => /^https?:/.test(addressOf(image)) && image.naturalWidth > 0)
    .map((image) => {
      const box = image.getBoundingClientRect()
      const top = box.top + window.scrollY
      const left = box.left + window.scrollX
      const style = getComputedStyle(image)
      return {
        url: addressOf(image),
        naturalWidth: image.naturalWidth,
        naturalHeight: image.naturalHeight,
        shownWidth: box.width || (first?.widths.get(image) ?? 0),
        shownHeight: box.height,
        inFirstView: seenFirst(image, box.width > 0 && top < view.height && top + box.height > 0 && left < view.width),
        lazy: image.loading === 'lazy',
        widthHeld: widthHeld(image),
        sized: (image.hasAttribute('width') && image.hasAttribute('height')) || style.aspectRatio !== 'auto',
      }
    })
  /** Of pictures that have not come at all, nothing is known but that nobody has seen them. */
  const later = [...document.images]
    .filter((image) => image.naturalWidth === 0 && first !== undefined && !first.elements.has(image))
    .map((image) => image.currentSrc || image.src)
    .filter((address) => /^https?:/.test(address))
  const rules: CSSFontFaceRule[] = []
  const collect = (sheet: CSSStyleSheet): void => {
    try {
      for (const rule of sheet.cssRules) {
        if (rule instanceof CSSFontFaceRule) rules.push(rule)
        if (rule instanceof CSSImportRule && rule.styleSheet !== null) collect(rule.styleSheet)
      }
    } catch {
      // Another host's style sheet may not be read.
    }
  }
  for (const sheet of document.styleSheets) collect(sheet)
  const faces = [...document.fonts]
    .filter(({ status }) => status === 'loaded' || status === 'loading')
    .map((face) => {
      const family = face.family.replaceAll(/["']/g, '')
      const urls = rules
        .filter(
          (rule) =>
            rule.style.getPropertyValue('font-family').replaceAll(/["']/g, '') === family &&
            (rule.style.getPropertyValue('font-weight') || 'normal') === face.weight,
        )
        .flatMap((rule) =>
          [...rule.style.getPropertyValue('src').matchAll(/url\((["']?)([^"')]+)\1\)/g)].map(
            ([, , address = '']) => new URL(address, rule.parentStyleSheet?.href ?? document.baseURI).href,
          ),
        )
      return { family, display: face.display, urls }
    })
  let nodes = 0
  let depth = 0
  const walk = (element: Element, level: number): void => {
    nodes++
    depth = Math.max(depth, level)
    for (const child of element.children) walk(child, level + 1)
  }
  walk(document.documentElement, 1)
  const inView = new Set<Element>(first?.elements)
  // What would stand in the initial viewport if its styles came late, a closed menu for instance, needs those that keep it out of it.
  const keptOut = new Set<Element>()
  /** Boxes without size, since what is in them is kept out: whatever they stand in, it stands in too. */
  const emptied = new Set<Element>()
  const noteKeptOut = (element: Element, { width, height, right, bottom }: DOMRect): void => {
    const parent = element.parentElement!
    if (!inView.has(parent) && !emptied.has(parent)) return
    const { display, overflow, position } = getComputedStyle(element)
    const empty = width === 0 || height === 0
    const outside = right + window.scrollX <= 0 || bottom + window.scrollY <= 0
    if (empty || outside || position === 'absolute' || position === 'fixed') keptOut.add(element)
    if (empty && display !== 'none' && overflow === 'visible') emptied.add(element)
  }
  const textSizes = new Map<string, number>()
  for (const element of document.querySelectorAll('*')) {
    const box = element.getBoundingClientRect()
    const top = box.top + window.scrollY
    const isIn = box.width > 0 && box.height > 0 && top < view.height && top + box.height > 0
    if (!isIn && !inView.has(element)) {
      noteKeptOut(element, box)
      continue
    }
    inView.add(element)
    const hasText = [...element.childNodes].some((node) => node.nodeType === 3 && (node.nodeValue ?? '').trim() !== '')
    if (!hasText) continue
    const { fontFamily, fontWeight, fontSize } = getComputedStyle(element)
    for (const family of fontFamily.split(',').slice(0, 1)) {
      const key = `${family.trim().replaceAll(/["']/g, '')} ${fontWeight}`
      textSizes.set(key, Math.max(textSizes.get(key) ?? 0, Number.parseFloat(fontSize)))
    }
  }
  // What is wider than the window by itself makes a phone draw the whole page smaller until its styles have come, wherever it stands.
  const needed = new Set([...inView, ...keptOut])
  for (const element of document.querySelectorAll('[width], img, table, pre')) {
    const natural = element instanceof HTMLImageElement ? element.naturalWidth : 0
    const own = Math.max(natural, Number.parseFloat(element.getAttribute('width') ?? '') || 0)
    if (own > view.width || /^(table|pre)$/i.test(element.tagName)) needed.add(element)
  }
  /** Selectors of a list, cut at the commas that are not inside brackets. */
  const parts = (list: string): string[] => {
    const found: string[] = []
    let depthOf = 0
    let from = 0
    for (let i = 0; i < list.length; i++) {
      const char = list[i]!
      if (char === '\\') i++
      else if ('([{'.includes(char)) depthOf++
      else if (')]}'.includes(char)) depthOf--
      else if (char === ',' && depthOf === 0) {
        found.push(list.slice(from, i).trim())
        from = i + 1
      }
    }
    return [...found, list.slice(from).trim()]
  }
  const STATES =
    /::?(?:before|after|first-line|first-letter|placeholder|marker|selection|backdrop|hover|focus-visible|focus-within|focus|active|visited|link|target|checked|-[a-z-]+)(?:\([^()]*\))?/g
  const fits = (selector: string): boolean => {
    try {
      const lasting = selector.replaceAll(STATES, '').trim()
      const asked = lasting === '' || /[>+~ ]$/.test(lasting) ? `${lasting}*` : lasting
      return [...document.querySelectorAll(asked)].some((element) => needed.has(element))
    } catch {
      return true
    }
  }
  const selectors = new Set<string>()
  const walkRules = (list: CSSRuleList): void => {
    for (const rule of list) {
      if (rule instanceof CSSStyleRule)
        for (const one of parts(rule.selectorText)) if (!selectors.has(one) && fits(one)) selectors.add(one)
      if (rule instanceof CSSImportRule && rule.styleSheet !== null) walkRules(rule.styleSheet.cssRules)
      else if ('cssRules' in rule && !(rule instanceof CSSStyleRule) && !(rule instanceof CSSKeyframesRule))
        walkRules((rule as CSSGroupingRule).cssRules)
    }
  }
  for (const sheet of document.styleSheets)
    try {
      walkRules(sheet.cssRules)
    } catch {
      // Another host's style sheet may not be read.
    }
  const weightOf = (weight: string): number => (weight === 'bold' ? 700 : weight === 'normal' ? 400 : Number(weight))
  const fonts = [...textSizes]
    .sort(([, a], [, b]) => b - a)
    .flatMap(([key]) => {
      const family = key.slice(0, key.lastIndexOf(' '))
      const weight = weightOf(key.slice(key.lastIndexOf(' ') + 1))
      const rule = rules.find(
        (one) =>
          one.style.getPropertyValue('font-family').replaceAll(/["']/g, '') === family &&
          weightOf(one.style.getPropertyValue('font-weight') || 'normal') === weight,
      )
      return (
        faces
          .find(
            (face) =>
              face.family === family &&
              rule !== undefined &&
              face.urls.some((url) =>
                rule.style.getPropertyValue('src').includes(new URL(url).pathname.split('/').at(-1)!),
              ),
          )
          ?.urls.slice(0, 1) ?? []
      )
    })
  return {
    images,
    faces,
    dom: { nodes, depth },
    firstView: {
      selectors: [...selectors].slice(0, 5000),
      fonts: [...new Set(fonts)],
      later: [...new Set(later)],
    },
  }
}
