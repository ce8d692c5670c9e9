import type { PageSnapshot } from '../../core/contracts/safety.ts'

export interface ReadElements {
  readonly elements: PageSnapshot['elements']
  readonly pictures: { key: string; url: string; shown: boolean }[]
}

/**
 * Runs in the page: what there is to see. It may use nothing from outside.
 * @param within 'view': the initial viewport only, as it stands; 'page': all of it
 */
export const readElements = (within: 'view' | 'page'): ReadElements => {
  const MOST = 4000
  const keyOf = window.__zestKeyOf
  const collapsed = (text: string): string => text.replaceAll(/\s+/g, ' ').trim()
  const ownText = (element: Element): string =>
    collapsed(
      [...element.childNodes]
        .filter(({ nodeType }) => nodeType === 3)
        .map(({ nodeValue }) => nodeValue)
        .join(' '),
    )
  const CONTROLS = 'button,input,select,textarea,summary,[role=button],a[href]'
  const whatOf = (element: Element, text: string): PageSnapshot['elements'][number]['what'] => {
    if (element.matches(CONTROLS)) return 'control'
    if (element.matches('img,picture,svg,canvas')) return 'picture'
    if (element.matches('iframe,video,audio,object,embed')) return 'frame'
    return text === '' ? 'other' : 'text'
  }
  const elements: PageSnapshot['elements'] = []
  const pictures: ReadElements['pictures'] = []
  const view = { width: window.innerWidth, height: window.innerHeight }
  for (const element of document.body?.querySelectorAll('*') ?? []) {
    if (elements.length >= MOST) break
    if (element.matches('script,style,link,meta,noscript,template,source,track,br,svg *')) continue
    const box = element.getBoundingClientRect()
    const style = getComputedStyle(element)
    const left = box.left + window.scrollX
    const top = box.top + window.scrollY
    if (element instanceof HTMLImageElement && element.currentSrc !== '')
      pictures.push({
        key: keyOf(element),
        // One that stands in the page itself goes by the address that its element names beside.
        url: element.currentSrc.startsWith('data:') ? element.src : element.currentSrc,
        shown: element.complete && element.naturalWidth > 0,
      })
    const isSeen =
      box.width > 0 &&
      box.height > 0 &&
      style.visibility === 'visible' &&
      element.checkVisibility({ opacityProperty: true, visibilityProperty: true })
    if (!isSeen) continue
    if (within === 'view' && (top >= view.height || left >= view.width || top + box.height <= 0)) continue
    const text = ownText(element)
    elements.push({
      key: keyOf(element),
      what: whatOf(element, text),
      // What lies below the initial viewport has not come yet, so nothing is said about how far a box reaches there.
      box: [left, top, box.width, within === 'view' ? Math.min(box.height, view.height - top) : box.height],
      look: [
        `color: ${style.color}`,
        `background: ${style.backgroundColor}`,
        `font: ${style.fontWeight} ${style.fontSize} ${style.fontFamily}`,
        `display: ${style.display}`,
        `align: ${style.textAlign}`,
        `border: ${style.borderTopWidth} ${style.borderTopColor}`,
      ].join('; '),
      text,
    })
  }
  return { elements, pictures }
}

/** Runs in the page: places and words of what is to be seen, to tell what changes by itself. */
export const readStates = (): Record<string, string> => {
  const states: Record<string, string> = {}
  const keyOf = window.__zestKeyOf
  for (const element of document.body?.querySelectorAll('*') ?? []) {
    if (element.matches('script,style,link,meta,noscript,template,source,track,br,svg *')) continue
    const box = element.getBoundingClientRect()
    const seen = element.checkVisibility({ opacityProperty: true, visibilityProperty: true })
    const text = [...element.childNodes]
      .filter(({ nodeType }) => nodeType === 3)
      .map(({ nodeValue }) => nodeValue?.trim())
      .join(' ')
    states[keyOf(element)] = `${seen} ${Math.round(box.left)} ${Math.round(box.top)} ${text}`
  }
  return states
}
