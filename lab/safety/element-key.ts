declare global {
  interface Window {
    /** What functions of ours in the page find an element's name by. */
    __zestKeyOf: (element: Element) => string
  }
}

/**
 * Runs in the page before anything of it does: the name of an element, by its place in the document; the same on two loads of one page, and a CSS
 * selector. It may use nothing from outside.
 */
export const installElementKey = (): void => {
  const keyOf = (element: Element): string => {
    const parent = element.parentElement
    const tag = element.tagName.toLowerCase()
    if (parent === null || element === document.body) return tag
    const alike = [...parent.children].filter(({ tagName }) => tagName === element.tagName)
    const place = alike.length > 1 ? `:nth-of-type(${alike.indexOf(element) + 1})` : ''
    return `${keyOf(parent)} > ${tag}${place}`
  }
  window.__zestKeyOf = keyOf
}
