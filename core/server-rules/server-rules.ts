import type { Setup } from '../contracts/setup.ts'
import { APACHE_RULES } from './apache.ts'
import { NGINX_RULES } from './nginx.ts'
import { RULE_IDS, type RuleId, type RuleLine, type ServerFacts, type ServerKind } from './rule.ts'

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
}

/**
 * What the owner's own web server would have to be told, from the same setup that delivery uses.
 * @param wanted which kinds of rules
 */
export const serverRules = (
  kind: ServerKind,
  setup: Setup,
  facts: ServerFacts,
  wanted: readonly RuleId[],
): RuleSection[] => {
  const writers = kind === 'apache' ? APACHE_RULES : NGINX_RULES
  return RULE_IDS.filter((id) => wanted.includes(id))
    .map((id) => ({ id, title: RULE_TITLES[id], lines: writers[id](setup, facts) }))
    .filter(({ lines }) => lines.length > 0)
}

/** The text of rules, one section after the other, each under its title. */
export const rulesText = (sections: readonly RuleSection[]): string =>
  sections.map(({ title, lines }) => [`# ${title}`, ...lines.map(({ text }) => text)].join('\n')).join('\n\n')
