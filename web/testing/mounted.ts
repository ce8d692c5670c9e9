import { createPinia, setActivePinia } from 'pinia'
import { onTestFinished } from 'vitest'
import { createApp, h, nextTick, type Component } from 'vue'
import { createMemoryHistory, createRouter } from 'vue-router'
import { createVuetify } from 'vuetify'
import { router } from '../router.ts'

/** For tests: a component in a document, as the application would show it; links lead to the application's own routes. */

// jsdom lays nothing out, and knows dialogs only as elements.
HTMLDialogElement.prototype.showModal ??= function (this: HTMLDialogElement) {
  this.open = true
}
HTMLDialogElement.prototype.close ??= function (this: HTMLDialogElement) {
  this.open = false
}
globalThis.ResizeObserver ??= class {
  observe(): void {}
  unobserve(): void {}
  disconnect(): void {}
}

const linksOf = () =>
  createRouter({
    history: createMemoryHistory(),
    routes: router.getRoutes().map(({ path, name }) => ({ path, name, component: { render: () => null } })) as never,
  })

/** It is taken down with its test: what asks every few seconds would go on in the tests after it. */
export const mounted = (component: Component, props: Record<string, unknown> = {}): HTMLElement => {
  const host = document.createElement('div')
  document.body.replaceChildren(host)
  const pinia = createPinia()
  setActivePinia(pinia)
  const app = createApp({ render: () => h(component, props) })
    .use(pinia)
    .use(linksOf())
    .use(createVuetify())
  app.mount(host)
  onTestFinished(() => app.unmount())
  return host
}

/** Text as it is read: white space collapsed. */
export const textOf = (element: Element | null | undefined): string =>
  (element?.textContent ?? '').replaceAll(/\s+/g, ' ').trim()

export const textsOf = (host: Element, selector: string): string[] => [...host.querySelectorAll(selector)].map(textOf)

const named = (element: HTMLElement): string => element.getAttribute('aria-label') ?? textOf(element)

/** The button of a name. @throws when there is none, with the names of those that are there */
export const button = (host: Element, name: string): HTMLButtonElement => {
  const all = [...host.querySelectorAll('button')]
  const found = all.find((one) => named(one) === name)
  if (found === undefined) throw new Error(`No button "${name}" among: ${all.map(named).join(', ')}`)
  return found
}

export const press = async (host: Element, name: string): Promise<void> => {
  button(host, name).click()
  await nextTick()
}

/** The input with a label. @throws when there is none */
export const field = (host: Element, label: string): HTMLInputElement => {
  const all = [...host.querySelectorAll<HTMLInputElement>('input')]
  const labelOf = ({ id }: HTMLInputElement) => textOf(host.querySelector(`label[for="${id}"]`))
  const found = all.find((one) => labelOf(one) === label)
  if (found === undefined) throw new Error(`No field "${label}" among: ${all.map(labelOf).join(', ')}`)
  return found
}

export const type = async (input: HTMLInputElement, value: string): Promise<void> => {
  input.value = value
  input.dispatchEvent(new Event('input'))
  await nextTick()
}

const selectOf = (host: Element, label: string): HTMLSelectElement => {
  const all = [...host.querySelectorAll('select')]
  const labelOf = ({ id }: HTMLSelectElement) => textOf(host.querySelector(`label[for="${id}"]`))
  const found = all.find((one) => labelOf(one) === label)
  if (found === undefined) throw new Error(`No list "${label}" among: ${all.map(labelOf).join(', ')}`)
  return found
}

/** What is chosen in a list, in its words. */
export const chosenIn = (host: Element, label: string): string => textOf(selectOf(host, label).selectedOptions[0])

/** Choose from a list by its label and the title of the choice. @throws when there is no such choice */
export const choose = async (host: Element, label: string, title: string): Promise<void> => {
  const list = selectOf(host, label)
  const option = [...list.options].find((one) => textOf(one) === title)
  if (option === undefined)
    throw new Error(`"${label}" cannot be "${title}", only ${[...list.options].map(textOf).join(', ')}.`)
  list.selectedIndex = option.index
  list.dispatchEvent(new Event('change', { bubbles: true }))
  await nextTick()
}

/** Write into a field and leave it: settings are saved then, not at each letter. */
export const leave = async (input: HTMLInputElement | HTMLTextAreaElement, value: string): Promise<void> => {
  input.value = value
  input.dispatchEvent(new Event('change', { bubbles: true }))
  await nextTick()
}
