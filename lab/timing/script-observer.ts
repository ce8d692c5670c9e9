import type { CDPSession, Page } from 'playwright-core'
import { z } from 'zod'
import { scriptUses, type FunctionUse, type ObservedScript } from '../../core/measuring/script-use.ts'
import type { ScriptUse } from '../../core/contracts/measuring.ts'

/** Comes from a page, which may say anything. */
const Observed = z.object({
  scripts: z.record(z.string(), z.object({ acts: z.array(z.string()), globals: z.array(z.string()) })),
  handlers: z.array(z.string()),
})

declare global {
  interface Window {
    /** What each external script did while it was read, by its address. */
    __zestScripts?: Record<string, { acts: string[]; globals: string[] }>
  }
}

/**
 * In the page, before anything of it: notes what each script does while it is read (`document.currentScript`). Runs in the browser:
 * everything it needs is within it.
 */
const observeActs = (): void => {
  const scripts: NonNullable<Window['__zestScripts']> = {}
  Object.defineProperty(window, '__zestScripts', { enumerable: false, value: scripts })
  const note = (what: string): void => {
    const script = document.currentScript
    if (!(script instanceof HTMLScriptElement) || script.src === '') return
    const { acts } = (scripts[script.src] ??= { acts: [], globals: [] })
    if (!acts.includes(what)) acts.push(what)
  }
  const wrapMethod = (owner: object, name: string, what: string): void => {
    const property = Object.getOwnPropertyDescriptor(owner, name)
    const original = property?.value as unknown
    if (typeof original !== 'function' || property?.configurable !== true) return
    const wrapped = function (this: unknown, ...args: unknown[]): unknown {
      note(what)
      return Reflect.apply(original, this, args)
    }
    Object.defineProperty(wrapped, 'name', { value: name })
    Object.defineProperty(owner, name, { ...property, value: wrapped })
  }
  const wrapSetter = (owner: object, name: string, what: string): void => {
    const property = Object.getOwnPropertyDescriptor(owner, name)
    if (property?.set === undefined || property.configurable !== true) return
    const { set } = property
    Object.defineProperty(owner, name, {
      ...property,
      set(this: unknown, value: unknown) {
        note(what)
        Reflect.apply(set, this, [value])
      },
    })
  }
  const ACTS =
    /^(?:append|prepend|insert|replace|remove|set|toggle|write|normalize|before|after|attach|adopt|click|focus|blur|submit|reset|dispatch|add|scroll|send|push|observe|define|delete|clear|open|post)/
  const owners = [
    Node,
    Element,
    HTMLElement,
    Document,
    DOMTokenList,
    CSSStyleDeclaration,
    CSSStyleSheet,
    Storage,
    History,
  ]
  const more = [Location, EventTarget, XMLHttpRequest, Navigator, CustomElementRegistry, WebSocket, Worker, EventSource]
  const observers = [MutationObserver, IntersectionObserver, ResizeObserver, PerformanceObserver]
  for (const { prototype } of [...owners, ...more, ...observers])
    for (const name of Object.getOwnPropertyNames(prototype)) {
      if (name === 'constructor') continue
      wrapSetter(prototype, name, 'document')
      if (ACTS.test(name)) wrapMethod(prototype, name, name === 'addEventListener' ? 'listener' : 'document')
    }
  for (const name of ['setTimeout', 'setInterval', 'requestAnimationFrame', 'requestIdleCallback', 'queueMicrotask'])
    wrapMethod(window, name, 'timer')
  for (const name of ['fetch', 'postMessage', 'open']) wrapMethod(window, name, 'network')
  for (const name of Object.getOwnPropertyNames(window)) if (name.startsWith('on')) wrapSetter(window, name, 'listener')
}

/** In the page, after that: notes which names each script leaves for others. Runs in the browser, too. */
const observeNames = (): void => {
  const scripts = window.__zestScripts!
  // What was there before any script of the page is the browser's.
  const native = new Set(Object.getOwnPropertyNames(window))
  /** Values by name, of globals and of what they hold: "ferry", "ferry.fares", "ferry.fn.slider". */
  let known = new Map<string, unknown>()
  /** A page that holds more than this is not gone through at each of its scripts: nothing is proven of it. */
  const MOST_NAMES = 20_000
  const survey = (): Map<string, unknown> => {
    const found = new Map<string, unknown>()
    const into = (name: string, value: unknown, depth: number): void => {
      if (found.size > MOST_NAMES) throw new Error('too many names')
      found.set(name, value)
      if (Array.isArray(value) || ArrayBuffer.isView(value)) return
      if (depth === 0 || value === null || (typeof value !== 'object' && typeof value !== 'function')) return
      if (value instanceof Node || value === window) return
      for (const key of Object.getOwnPropertyNames(value)) {
        if (key === 'caller' || key === 'callee' || key === 'arguments') continue
        const property = Object.getOwnPropertyDescriptor(value, key)
        if (property !== undefined && 'value' in property) into(`${name}.${key}`, property.value, depth - 1)
      }
    }
    for (const name of Object.getOwnPropertyNames(window)) {
      // A getter of the page's is not asked: that would be a use.
      const property = native.has(name) ? undefined : Object.getOwnPropertyDescriptor(window, name)
      if (property !== undefined) into(name, property.value, 2)
    }
    return found
  }
  const compare = ({ src, type }: HTMLScriptElement): void => {
    const { acts, globals } = (scripts[src] ??= { acts: [], globals: [] })
    let now: Map<string, unknown>
    try {
      now = survey()
    } catch {
      // Too much, or something that does not let itself be looked at.
      acts.push('unseen')
      return
    }
    // What a module does while it is read cannot be told from what others do: there is no current script.
    if (type === 'module') acts.push('unseen')
    for (const [name, value] of now) {
      if (known.has(name) && Object.is(known.get(name), value)) continue
      const [first] = name.split('.') as [string]
      const isOwn = !known.has(first)
      // A new name is found by its first part; a function added to another's thing by its last.
      const called = isOwn ? first : name.split('.').at(-1)!
      if (!isOwn && (known.has(name) || typeof value !== 'function') && !acts.includes('others')) acts.push('others')
      if (!globals.includes(called)) globals.push(called)
    }
    known = now
  }
  // Comes right after a script was read, before anything else of the page.
  document.addEventListener(
    'load',
    ({ target }) => {
      if (target instanceof HTMLScriptElement && target.src !== '') compare(target)
    },
    true,
  )
}

const readObserved = (): unknown => ({
  scripts: window.__zestScripts ?? {},
  handlers: [...document.querySelectorAll('*')].flatMap((element) =>
    [...element.attributes]
      .filter(({ name, value }) => name.startsWith('on') || /^\s*javascript:/i.test(value))
      .map(({ value }) => value),
  ),
})

/** Text of more scripts than a page ever has is not read, nor more of it than this. */
const MOST_SCRIPTS = 200
const MOST_CHARACTERS = 20_000_000

/** Which scripts of a page nothing used. */
export class ScriptObserver {
  readonly #page: Page
  readonly #cdp: CDPSession

  constructor(page: Page, cdp: CDPSession) {
    this.#page = page
    this.#cdp = cdp
  }

  async start(): Promise<void> {
    await this.#page.addInitScript(observeActs)
    await this.#page.addInitScript(observeNames)
  }

  /** @param ran scripts of the page with their functions, from coverage */
  async read(
    ran: readonly {
      readonly scriptId: string
      readonly url: string
      readonly inline: boolean
      readonly functions: readonly FunctionUse[]
    }[],
  ): Promise<ScriptUse[]> {
    if (ran.length > MOST_SCRIPTS) return []
    const said = Observed.safeParse(await this.#page.evaluate(readObserved))
    if (!said.success) return []
    const { scripts, handlers } = said.data
    const observed: ObservedScript[] = []
    let characters = 0
    for (const { scriptId, url, inline, functions } of ran) {
      const source = await this.#cdp.send('Debugger.getScriptSource', { scriptId }).catch(() => undefined)
      // A script that cannot be read might use any other.
      if (source === undefined) return []
      characters += source.scriptSource.length
      if (characters > MOST_CHARACTERS) return []
      const { acts, globals } = scripts[url] ?? { acts: ['unseen'], globals: [] }
      observed.push({ url, inline, text: source.scriptSource, functions, acts, globals })
    }
    return scriptUses(observed, handlers)
  }
}
