import type { ShownImage } from '../../core/contracts/measuring.ts'

export interface PageContents {
  images: ShownImage[]
  /** Faces whose file has come, with what CSS says of them. */
  faces: { family: string; display: string; urls: string[] }[]
  dom: { nodes: number; depth: number }
}

/** Runs in the page once it is quiet: what pictures, fonts and elements there are. It may use nothing from outside. */
export const readContents = (): PageContents => {
  const view = { width: window.innerWidth, height: window.innerHeight }
  const images = [...document.images]
    .filter(
      (image) => image.currentSrc !== '' && !image.currentSrc.startsWith('data:') && image.naturalWidth > 0,
    )
    .map((image) => {
      const box = image.getBoundingClientRect()
      const top = box.top + window.scrollY
      const left = box.left + window.scrollX
      const style = getComputedStyle(image)
      return {
        url: image.currentSrc,
        naturalWidth: image.naturalWidth,
        naturalHeight: image.naturalHeight,
        shownWidth: box.width,
        shownHeight: box.height,
        inFirstView: box.width > 0 && top < view.height && top + box.height > 0 && left < view.width,
        lazy: image.loading === 'lazy',
        sized: (image.hasAttribute('width') && image.hasAttribute('height')) || style.aspectRatio !== 'auto',
      }
    })
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
            ([, , address]) => new URL(address!, rule.parentStyleSheet?.href ?? document.baseURI).href,
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
  return { images, faces, dom: { nodes, depth } }
}
