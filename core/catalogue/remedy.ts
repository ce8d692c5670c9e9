import type { RemedyException } from '../contracts/rewriting.ts'
import type { Remedies, RemedyId } from '../contracts/setup.ts'

/** What a remedy touches, and so how it could break a page. */
export type Reach = 'delivery' | 'files' | 'page'

/** How much a site needs a remedy: nearly every site, some sites, or as its owner likes. */
export type Need = 'must' | 'optional' | 'taste'

/** How a setting is shown and edited. */
export type OptionInput =
  | { kind: 'duration' }
  | { kind: 'bytes' }
  | { kind: 'switch' }
  | { kind: 'patterns'; placeholder: string }
  | { kind: 'choice'; choices: readonly { readonly value: string; readonly title: string }[] }
  /** A list of kinds of pages, each with settings of its own. */
  | { kind: 'kinds' }
  | { kind: 'number'; unit: string; least: number; most: number; step?: number }
  | { kind: 'text'; placeholder: string }
  /** Which pages follow which, with the owner's word on each; needs the remedy's other settings. */
  | { kind: 'next-pages' }
  /** What is left out: files, addresses, elements; which of these the remedy knows. */
  | { kind: 'exceptions'; by: readonly RemedyException['by'][] }

export interface RemedyOption {
  readonly key: string
  readonly label: string
  readonly hint: string
  readonly input: OptionInput
  /** Heading it stands under, where a remedy has many. */
  readonly group?: string
}

/** What a list of remedies shows of one. */
export interface Remedy {
  readonly id: RemedyId
  readonly name: string
  readonly reach: Reach
  readonly need: Need
  readonly inShort: string
}

/** A remedy explains itself: what it does, when it helps, when to avoid it, what could break, how to undo. Each option is a setting of its own. */
export interface RemedyGuide<Id extends RemedyId = RemedyId> {
  readonly does: string
  readonly helps: string
  readonly avoid: string
  readonly couldBreak: string
  readonly lookAt: string
  readonly undo: string
  readonly options: readonly (RemedyOption & { readonly key: keyof Remedies[Id] & string })[]
}

export const NEED: Record<Need, { readonly title: string; readonly sentence: string }> = {
  must: { title: 'Must', sentence: 'Nearly every site needs these.' },
  optional: { title: 'Optional', sentence: 'Worth it where the evidence says so.' },
  taste: { title: 'Matters of taste', sentence: 'Visitors may notice, or it changes little: your choice.' },
}

export const REACH: Record<Reach, string> = {
  delivery: 'Headers and transport only: what a browser decodes stays the same.',
  files: 'Smaller files, in the same structure and order.',
  page: 'The order or structure of the page changes.',
}
