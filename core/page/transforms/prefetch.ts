import type { Element } from 'domhandler'
import { namePatterns, pathPatterns } from '../../http/patterns.ts'
import { NEXT_PAGES, nextPagesText, PREFETCH_SCRIPT } from '../../prefetch/prefetch-script.ts'
import { unsafeLink, type LinkRules } from '../../prefetch/safe-links.ts'
import { holdScripts } from './hold-scripts.ts'
import { compileExceptions } from '../context/exceptions.ts'
import { Work, type PageRemedy } from '../context/rewrite-context.ts'
import { insertLast } from '../document/edits.ts'
import { resolved, words } from '../document/page-document.ts'

/** Words of a link: what it says, and its label. */
const wordsOf = (element: Element): string => {
  const texts: string[] = [element.attribs['aria-label'] ?? '', element.attribs['title'] ?? '']
  const read = (one: Element): void => {
    for (const child of one.children) {
      if ('data' in child) texts.push(child.data)
      if ('children' in child) read(child as Element)
    }
  }
  read(element)
  return texts.join(' ')
}

/** The page names those of its links that may be fetched ahead, and a script that has the browser do it. */
export const prefetchLinks: PageRemedy = (page, context) => {
  const work = new Work('prefetch')
  const { prefetch, pageCache } = context.remedies
  const left = compileExceptions(prefetch.exceptions)
  const rules: LinkRules = {
    page: page.address,
    passesPath: pathPatterns(pageCache.passPaths),
    passesParameter: namePatterns(pageCache.passParameters),
  }
  const here = page.address.pathname + page.address.search
  const never = new Set(
    prefetch.rules.filter((rule) => rule.fetch === 'never' && rule.page === here).map(({ next }) => next),
  )
  const paths = new Set<string>()
  for (const element of page.elements) {
    if (paths.size === prefetch.mostLinks) break
    const address = resolved(page, element.attribs['href'])
    if ((element.name !== 'a' && element.name !== 'area') || address === undefined) continue
    if ((left.page(address.pathname) ?? left.file(address) ?? left.element(element)) !== undefined) continue
    const link = {
      address,
      rel: words(element.attribs['rel']),
      words: wordsOf(element),
      attributes: Object.keys(element.attribs),
    }
    const path = address.pathname + address.search
    if (unsafeLink(link, rules) === undefined && !never.has(path)) paths.add(path)
  }
  const where = page.address.pathname
  if (paths.size === 0) work.left(where, 'No link of this page may be fetched ahead.')
  else if (!context.policy.ownScript) work.left(where, 'The page’s security policy forbids the script that is needed.')
  else {
    const next = { when: prefetch.when, rules: context.policy.inlineScript, paths: [...paths] }
    const script = context.shelf.add('next', 'script', PREFETCH_SCRIPT, page.address)
    work.change(
      where,
      `${paths.size} ${paths.size === 1 ? 'link' : 'links'} may be fetched ahead.`,
      insertLast(
        page,
        `<script type="application/json" id="${NEXT_PAGES}">${nextPagesText(next)}</script><script defer src="${script}"></script>`,
      ),
    )
  }
  if (!prefetch.prerender) return work.done()
  const decision = holdScripts(page, context)
  if (decision.kind === 'fetched-only') {
    work.left(where, `Fetched ahead, not rendered ahead. ${decision.because}`)
    return work.done()
  }
  for (const item of decision.held) work.change(item, 'Waits until the page is shown.', [])
  work.edit(decision.edits)
  return { ...work.done(), prerender: 'allowed' }
}
