import { RULE_IDS, type RuleId, type RulesChoice, type RulesKind } from '../contracts/server-rules.ts'
import { Setup } from '../contracts/setup.ts'
import { APACHE_RULES } from './apache.ts'
import { NGINX_SITE_RULES } from './nginx-site.ts'
import { NGINX_RULES } from './nginx.ts'
import type { RuleLine, RuleWriter, ServerFacts, SiteFacts } from './rule.ts'

/** Rules of one kind, under their title. */
export interface RuleSection {
  readonly id: RuleId
  readonly title: string
  readonly lines: readonly RuleLine[]
}

export const RULE_TITLES: Readonly<Record<RuleId, string>> = {
  compression: 'Compression',
  lifetimes: 'Browser lifetimes by type',
  fingerprinted: 'Fingerprinted files',
  validators: 'Entity tags',
  security: 'Security headers that cost nothing',
  https: 'HTTPS and one host name',
  backDoor: 'Only requests through Zest Lamp',
  preload: 'Files that pages need first',
  storedPages: 'Stored pages from the disk',
}

const WRITERS: Readonly<Record<RulesKind, Partial<Record<RuleId, RuleWriter>>>> = {
  apache: APACHE_RULES,
  nginx: NGINX_RULES,
  'nginx-site': NGINX_SITE_RULES,
}

/** The kinds of rules that a file can hold, in the order in which they are written. */
export const rulesOf = (kind: RulesKind): RuleId[] => RULE_IDS.filter((id) => id in WRITERS[kind])

/**
 * What the owner's own web server would have to be told, from the same setup that delivery uses.
 * @param wanted which kinds of rules
 */
export const serverRules = (
  kind: RulesKind,
  setup: Setup,
  facts: ServerFacts,
  wanted: readonly RuleId[],
): RuleSection[] => {
  return rulesOf(kind)
    .filter((id) => wanted.includes(id))
    .map((id) => ({ id, title: RULE_TITLES[id], lines: WRITERS[kind][id]?.(setup, facts) ?? [] }))
    .filter(({ lines }) => lines.length > 0)
}

/** What the rules are made from: the settings of live, with what rules are ticked for switched on, whatever delivery does. */
const rulesSetup = ({ remedies }: Setup): Setup =>
  Setup.parse({
    remedies: {
      ...remedies,
      compression: { ...remedies.compression, enabled: true },
      browserCache: { ...remedies.browserCache, enabled: true },
    },
  })

const OPENING = /^\s*(?:<\w|(?:map|location)\b.*\{$)/
const CLOSING = /^\s*(?:<\/|\}$)/

/** Lines without some, and without the blocks that have nothing left in them. */
const withoutLines = (lines: readonly RuleLine[], leftOut: ReadonlySet<string>): RuleLine[] => {
  const kept: RuleLine[] = []
  for (const one of lines) {
    if (leftOut.has(one.text.trim())) continue
    const last = kept.at(-1)
    if (CLOSING.test(one.text) && last !== undefined && OPENING.test(last.text)) kept.pop()
    else kept.push(one)
  }
  return kept
}

/**
 * The rules that an owner has chosen, from the settings of live.
 * What stands on the names of fingerprinted files is no rule by itself where the server has no conditions of its own for them.
 */
export const chosenRules = (choice: RulesChoice, live: Setup, site: SiteFacts): RuleSection[] => {
  const { kind, wanted } = choice
  const possible = wanted.filter((id) => id !== 'fingerprinted' || kind === 'apache' || wanted.includes('lifetimes'))
  const leftOut = new Set(choice.leftOut.map((text) => text.trim()))
  return serverRules(kind, rulesSetup(live), { ...choice, ...site }, possible)
    .map((section) => ({ ...section, lines: withoutLines(section.lines, leftOut) }))
    .filter(({ lines }) => lines.length > 0)
}

/** Kinds of rules whose lines hold by themselves: one of them may be left out without the others. */
const LINE_BY_LINE: readonly RuleId[] = ['compression', 'lifetimes', 'validators', 'security', 'preload']

/** Of nginx, these are one table, which other lines name. */
const TABLES: readonly RuleId[] = ['lifetimes', 'preload']

/** What can be left out of the rules by itself: a line, or all of a kind. */
export interface RuleUnit {
  readonly rule: RuleId
  /** Lines as they are written, without what is in front of them. */
  readonly texts: readonly string[]
}

const isRuleLine = ({ text, why }: RuleLine): boolean => why !== null && !OPENING.test(text)

/** The units of rules, in the order in which they are written. */
export const unitsOf = (sections: readonly RuleSection[], kind: RulesKind): RuleUnit[] =>
  sections.flatMap(({ id, lines }): RuleUnit[] => {
    const texts = lines.filter(isRuleLine).map(({ text }) => text.trim())
    const whole = !LINE_BY_LINE.includes(id) || (kind === 'nginx' && TABLES.includes(id))
    return whole ? [{ rule: id, texts }] : texts.map((text) => ({ rule: id, texts: [text] }))
  })

/** The rules with some of their units only. */
export const onlyUnits = (sections: readonly RuleSection[], units: readonly RuleUnit[]): RuleSection[] => {
  const kept = new Set(units.flatMap(({ rule, texts }) => texts.map((text) => `${rule} ${text}`)))
  return sections
    .map((section) => {
      const away = section.lines
        .filter((one) => isRuleLine(one) && !kept.has(`${section.id} ${one.text.trim()}`))
        .map(({ text }) => text.trim())
      return { ...section, lines: withoutLines(section.lines, new Set(away)) }
    })
    .filter(({ lines }) => lines.length > 0)
}

/** The text of rules, one section after the other, each under its title. */
export const rulesText = (sections: readonly RuleSection[]): string =>
  sections.map(({ title, lines }) => [`# ${title}`, ...lines.map(({ text }) => text)].join('\n')).join('\n\n')
