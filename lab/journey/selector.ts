/**
 * Runs in the page: a CSS selector that finds one element again, by what is least likely to change: id, name, address, then place.
 * It may use nothing from outside.
 * @param at a point in CSS pixels; left out: the element that has the focus
 * @returns null when there is nothing
 */
export const selectorOf = (at: { x: number; y: number } | null): string | null => {
  const found = at === null ? document.activeElement : document.elementFromPoint(at.x, at.y)
  if (found === null || found === document.body || found === document.documentElement) return null
  // What is clicked is the link or button, not the word in it.
  const element = found.closest('a[href],button,input,select,textarea,label,summary,[role="button"]') ?? found
  const isUnique = (selector: string): boolean => document.querySelectorAll(selector).length === 1
  const quoted = (text: string): string => JSON.stringify(text)
  const tag = element.tagName.toLowerCase()
  const candidates: string[] = []
  if (element.id !== '' && !/\d{3,}/.test(element.id)) candidates.push(`#${CSS.escape(element.id)}`)
  for (const name of ['data-testid', 'name', 'aria-label', 'href', 'type']) {
    const value = element.getAttribute(name)
    if (value !== null && value !== '' && value.length < 120) candidates.push(`${tag}[${name}=${quoted(value)}]`)
  }
  const form = element.closest('form')
  const action = form?.getAttribute('action')
  if (action) candidates.push(`form[action=${quoted(action)}] ${tag}`)
  candidates.push(tag)
  const simple = candidates.find(isUnique)
  if (simple !== undefined) return simple
  const path: string[] = []
  for (let one: Element | null = element; one !== null && one !== document.documentElement; one = one.parentElement) {
    const own = one
    const alike = [...(own.parentElement?.children ?? [])].filter(({ tagName }) => tagName === own.tagName)
    path.unshift(own.tagName.toLowerCase() + (alike.length > 1 ? `:nth-of-type(${alike.indexOf(own) + 1})` : ''))
    if (isUnique(path.join(' > '))) break
  }
  return path.join(' > ')
}
