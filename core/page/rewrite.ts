import type { PageChange, PageKnowledge } from '../contracts/page-changes.ts'
import type { Remedies, RemedyId } from '../contracts/setup.ts'
import type { RewriteContext, PageRemedy } from './context.ts'
import { readPage, type PageDocument } from './document/page-document.ts'
import { pagePolicy } from './document/policy.ts'
import { compileExceptions, exceptionSentence } from './exceptions.ts'
import { FileShelf, type FileFacts, type NewFile } from './files.ts'
import { minifyPage } from './minify/page.ts'
import { combineFiles } from './remedies/combine.ts'
import { inlineCriticalStyles } from './remedies/critical-styles.ts'
import { leaveOutFeatures } from './remedies/features.ts'
import { addHints } from './remedies/hints.ts'
import { loadLazily } from './remedies/lazy.ts'
import { nameOwnAddresses } from './remedies/own-addresses.ts'
import { orderScripts } from './remedies/script-order.ts'
import { showStills } from './remedies/still-video.ts'
import { leaveOutUnusedStyles, usedSelectors } from './remedies/unused-styles.ts'

/** Larger pages pass through untouched: they are exports or mistakes, and would keep a core busy for seconds. */
export const LARGEST_PAGE_BYTES = 5_000_000

/** In the order they are applied: each one sees what those before it have made, and all of them the origin's addresses. */
const PAGE_REMEDIES: readonly (readonly [RemedyId, PageRemedy])[] = [
  ['features', leaveOutFeatures],
  ['stillVideo', showStills],
  ['combine', combineFiles],
  ['unusedStyles', leaveOutUnusedStyles],
  ['criticalStyles', inlineCriticalStyles],
  ['scriptOrder', orderScripts],
  ['lazy', loadLazily],
  ['hints', addHints],
]

export interface PageOrder {
  readonly html: string
  readonly address: string
  readonly remedies: Remedies
  readonly device: 'phone' | 'laptop'
  readonly multiplexed: boolean
  /** Content-Security-Policy of the answer. */
  readonly policy: string | undefined
  readonly knowledge: PageKnowledge | undefined
  readonly views: RewriteContext['views']
  readonly facts: ReadonlyMap<string, FileFacts>
  readonly alsoUsed: readonly string[]
}

export interface RewrittenPage {
  readonly html: string
  readonly changes: readonly PageChange[]
  readonly files: readonly NewFile[]
  /** Selectors this page uses, where styles are cut; others of its kind keep them too. */
  readonly used: readonly string[]
}

const changeOf = (remedy: RemedyId, kind: PageChange['kind'], item: string, sentence: string): PageChange => ({ remedy, kind, item, sentence, bytesBefore: null, bytesAfter: null }) // prettier-ignore

/** Carry out one remedy; a mistake of ours leaves the page as it was and is told of. */
const carriedOut = (remedy: RemedyId, page: PageDocument, apply: PageRemedy, context: RewriteContext) => {
  const exception = compileExceptions(context.remedies[remedy as 'lazy'].exceptions).page(
    page.address.pathname,
  )
  if (exception !== undefined)
    return {
      html: page.html,
      changes: [changeOf(remedy, 'left', page.address.pathname, exceptionSentence(exception))],
    }
  try {
    return apply(page, context)
  } catch (error) {
    return { html: page.html, changes: [changeOf(remedy, 'left', page.address.pathname, `Left alone: it could not be carried out (${(error as Error).message}).`)] } // prettier-ignore
  }
}

/**
 * Rewrite a page by all remedies that are on.
 * @param digest twenty hexadecimal digits that stand for a text
 * @returns the page as it came when it is too large
 */
export const rewritePage = async (
  order: PageOrder,
  digest: (text: string) => string,
): Promise<RewrittenPage> => {
  const address = new URL(order.address)
  if (order.html.length > LARGEST_PAGE_BYTES)
    return {
      html: order.html,
      changes: [changeOf('minify', 'left', address.pathname, 'The page is larger than 5 MB and passes through untouched.')], // prettier-ignore
      files: [],
      used: [],
    }
  const shelf = new FileShelf(order.facts, digest)
  const changes: PageChange[] = []
  let page = readPage(order.html, address)
  const { remedies, device, multiplexed, knowledge, views } = order
  const context: RewriteContext = {
    remedies,
    device,
    multiplexed,
    knowledge,
    views,
    shelf,
    policy: pagePolicy(page, order.policy),
    alsoUsed: new Set(order.alsoUsed),
  }
  const used = remedies.unusedStyles.enabled ? usedSelectors(page, context) : []
  const take = (rewrite: { html: string; changes: readonly PageChange[] }): void => {
    changes.push(...rewrite.changes)
    if (rewrite.html !== page.html) page = readPage(rewrite.html, address)
  }
  for (const [remedy, apply] of PAGE_REMEDIES)
    if (remedies[remedy].enabled) take(carriedOut(remedy, page, apply, context))
  take(nameOwnAddresses(page, context))
  if (remedies.minify.enabled && remedies.minify.html) take(await minified(page, context))
  return { html: page.html, changes, files: shelf.files, used }
}

const minified = async (page: PageDocument, { remedies, policy }: RewriteContext) => {
  const { minify } = remedies
  const where = page.address.pathname
  const exception = compileExceptions(minify.exceptions).page(where)
  if (exception !== undefined) return { html: page.html, changes: [changeOf('minify', 'left', where, exceptionSentence(exception))] } // prettier-ignore
  // Code that a policy allows by its digest must stay letter for letter.
  const result = await minifyPage(page.html, page.address, {
    inline: minify.inline && !policy.hashes,
    json: minify.json,
  })
  if (result.kind === 'left')
    return { html: page.html, changes: [changeOf('minify', 'left', where, result.why)] }
  const change: PageChange = {
    remedy: 'minify',
    kind: 'changed',
    item: where,
    sentence: 'The page itself, without needless white space and comments.',
    bytesBefore: page.html.length,
    bytesAfter: result.html.length,
  }
  return { html: result.html, changes: [change] }
}
