import { LARGEST_PAGE_BYTES } from './document/largest-page.ts'
import type { PageChange, PageKnowledge } from '../contracts/page-changes.ts'
import type { Remedies, RemedyId } from '../contracts/setup.ts'
import type { PageRemedy, InlinePicture, Rewrite, RewriteContext } from './context/rewrite-context.ts'
import { applyEdits } from './document/edits.ts'
import { readPage, type PageDocument } from './document/page-document.ts'
import { pagePolicy } from './document/policy.ts'
import { compileExceptions, exceptionSentence } from './context/exceptions.ts'
import { FileShelf, type FileFacts, type NewFile } from './context/file-facts.ts'
import { earlyHints } from './early-hints.ts'
import { minifyPage } from './minify/page.ts'
import { combineFiles } from './transforms/combine-files.ts'
import { inlineCriticalStyles } from './transforms/critical-css.ts'
import { leaveOutUnusedScripts } from './transforms/unused-scripts.ts'
import { prefetchLinks } from './transforms/prefetch.ts'
import { addHints } from './transforms/preload.ts'
import { loadLazily } from './transforms/lazy-loading.ts'
import { loadFromCdn } from './transforms/files-cdn.ts'
import { nameOwnAddresses } from './transforms/file-addresses.ts'
import { orderScripts } from './transforms/script-order.ts'
import { showStills } from './transforms/video-previews.ts'
import { leaveOutUnusedStyles, usedSelectors } from './transforms/unused-css.ts'

type Step = readonly (readonly [RemedyId, PageRemedy])[]

/**
 * In the order they are applied. Each step sees what the steps before it have made, and all of them the origin's addresses; remedies of one step
 * touch different things, so that the page is parsed once for all of them.
 */
const STEPS: readonly Step[] = [
  [['unusedScripts', leaveOutUnusedScripts]],
  [['combine', combineFiles]],
  [['unusedStyles', leaveOutUnusedStyles]],
  [
    ['criticalStyles', inlineCriticalStyles],
    ['scriptOrder', orderScripts],
    ['stillVideo', showStills],
    ['lazy', loadLazily],
  ],
  // What stands in the page by now needs no hint.
  [
    ['hints', addHints],
    ['prefetch', prefetchLinks],
  ],
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
  readonly inPage?: InlinePicture | undefined
  readonly facts: ReadonlyMap<string, FileFacts>
  readonly alsoUsed: readonly string[]
}

export interface RewrittenPage {
  readonly html: string
  readonly changes: readonly PageChange[]
  readonly files: readonly NewFile[]
  /** Selectors this page uses, where styles are cut; others of its kind keep them too. */
  readonly used: readonly string[]
  /** What browsers may fetch while they wait for the page the next time: values of Link. */
  readonly early: readonly string[]
  /** Set when the page may be rendered before its visitor opens it. */
  readonly prerender?: 'allowed' | undefined
}

const changeOf = (remedy: RemedyId, kind: PageChange['kind'], item: string, sentence: string): PageChange => ({
  remedy,
  kind,
  item,
  sentence,
  bytesBefore: null,
  bytesAfter: null,
})

/** Carry out one remedy; a mistake of ours leaves the page as it was and is told of. */
const carriedOut = (remedy: RemedyId, page: PageDocument, apply: PageRemedy, context: RewriteContext): Rewrite => {
  const where = page.address.pathname
  const left = (sentence: string): Rewrite => ({
    edits: [],
    changes: [changeOf(remedy, 'left', where, sentence)],
  })
  const exception = compileExceptions(context.remedies[remedy as 'lazy'].exceptions).page(where)
  if (exception !== undefined) return left(exceptionSentence(exception))
  try {
    return apply(page, context)
  } catch (error) {
    return left(`Left alone: this remedy failed here (${(error as Error).message}).`)
  }
}

/**
 * Rewrite a page by all remedies that are on.
 * @param digest "z" and nineteen hexadecimal digits that stand for a text
 * @returns the page as it came when it is too large
 */
export const rewritePage = async (order: PageOrder, digest: (text: string) => string): Promise<RewrittenPage> => {
  const address = new URL(order.address)
  if (order.html.length > LARGEST_PAGE_BYTES)
    return {
      html: order.html,
      changes: [changeOf('minify', 'left', address.pathname, 'The page is larger than 5 MB and is sent unchanged.')],
      files: [],
      used: [],
      early: [],
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
    inPage: order.inPage,
    shelf,
    policy: pagePolicy(page, order.policy),
    alsoUsed: new Set(order.alsoUsed),
  }
  const used = remedies.unusedStyles.enabled ? usedSelectors(page, context) : []
  let prerender: RewrittenPage['prerender']
  const take = (rewrites: readonly Rewrite[]): void => {
    changes.push(...rewrites.flatMap((one) => one.changes))
    prerender ??= rewrites.find((one) => one.prerender !== undefined)?.prerender
    const edits = rewrites.flatMap((one) => one.edits)
    if (edits.length > 0) page = readPage(applyEdits(page.html, edits), address)
  }
  for (const step of STEPS)
    take(
      step
        .filter(([remedy]) => remedies[remedy].enabled)
        .map(([remedy, apply]) => carriedOut(remedy, page, apply, context)),
    )
  const named = nameOwnAddresses(page, context)
  changes.push(...named.changes)
  let html = applyEdits(page.html, named.edits)
  if (remedies.filesCdn.enabled) {
    // Last: it is by their final addresses that files are fetched from there.
    const moved = carriedOut('filesCdn', readPage(html, address), loadFromCdn, context)
    changes.push(...moved.changes)
    html = applyEdits(html, moved.edits)
  }
  const early = remedies.hints.enabled && remedies.hints.early ? earlyHints(html, address) : []
  if (!remedies.minify.enabled || !remedies.minify.html)
    return { html, changes, files: shelf.files, used, early, prerender }
  const smaller = await minified(html, address, context)
  return { html: smaller.html, changes: [...changes, smaller.change], files: shelf.files, used, early, prerender }
}

const minified = async (
  html: string,
  { pathname }: URL,
  { remedies, policy }: RewriteContext,
): Promise<{ html: string; change: PageChange }> => {
  const { minify } = remedies
  const left = (why: string) => ({ html, change: changeOf('minify', 'left', pathname, why) })
  const exception = compileExceptions(minify.exceptions).page(pathname)
  if (exception !== undefined) return left(exceptionSentence(exception))
  // Code that a policy allows by its digest must stay letter for letter.
  const result = await minifyPage(html, { inline: minify.inline && !policy.hashes, json: minify.json })
  if (result.kind === 'left') return left(result.why)
  const change: PageChange = {
    remedy: 'minify',
    kind: 'changed',
    item: pathname,
    sentence: 'The page itself, without unnecessary white space and comments.',
    bytesBefore: html.length,
    bytesAfter: result.html.length,
  }
  return { html: result.html, change }
}
