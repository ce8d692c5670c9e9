import { Setup, type Remedies } from '../../contracts/setup.ts'
import type { PageKnowledge } from '../../contracts/page-changes.ts'
import type { FileFacts, FileFactsKind } from '../context/file-facts.ts'
import { rewritePage, type PageOrder, type RewrittenPage } from '../rewrite.ts'

/** For tests: pages rewritten by some remedies, with files made up beside them. */

export const ADDRESS = new URL('http://quay.example/')

/** A digest for tests: not a good one, but the same for the same text. */
export const testDigest = (text: string): string => {
  let sum = 5381
  for (const char of text) sum = (Math.imul(sum, 33) ^ char.codePointAt(0)!) >>> 0
  return `z${sum.toString(16).padStart(19, '0')}`
}

type Settings = Partial<Record<keyof Remedies, Record<string, unknown>>>

export const remediesWith = (settings: Settings): Remedies =>
  Setup.parse({
    remedies: Object.fromEntries(Object.entries(settings).map(([id, more]) => [id, { enabled: true, ...more }])),
  }).remedies

/** A file of the site with a text. */
export const textFile = (
  path: string,
  kind: FileFactsKind,
  text: string,
  more: Partial<FileFacts> = {},
): FileFacts => ({
  address: new URL(path, ADDRESS).href,
  kind,
  bytes: text.length,
  text,
  ...more,
})

export const factsOf = (...files: FileFacts[]): Map<string, FileFacts> =>
  new Map(files.map((file) => [file.address, file]))

export const lookedAt = (more: Partial<PageKnowledge>): PageKnowledge => ({
  path: '/',
  device: 'phone',
  viewWidth: 390,
  mainImage: null,
  alsoMain: [],
  images: [],
  fonts: [],
  selectors: [],
  hosts: [],
  unusedScripts: [],
  ...more,
})

export const rewritten = (html: string, settings: Settings, more: Partial<PageOrder> = {}): Promise<RewrittenPage> =>
  rewritePage(
    {
      html,
      address: ADDRESS.href,
      remedies: remediesWith(settings),
      device: 'phone',
      multiplexed: false,
      policy: undefined,
      knowledge: undefined,
      views: {},
      facts: new Map(),
      alsoUsed: [],
      ...more,
    },
    testDigest,
  )

/** What was said of what was left alone. */
export const leftOf = ({ changes }: RewrittenPage): string[] =>
  changes.filter(({ kind }) => kind === 'left').map(({ item, sentence }) => `${item}: ${sentence}`)
