import { mentions } from '../../measuring/script-use.ts'
import { compileExceptions, exceptionSentence, fileMatcher } from '../context/exceptions.ts'
import { originalPath } from '../context/file-facts.ts'
import { Work, type PageRemedy, type RewriteContext } from '../context/rewrite-context.ts'
import { removeElement } from '../document/edits.ts'
import { resolved, shown, textOf, type PageDocument } from '../document/page-document.ts'

/** Code that is in the page itself: another page of the same kind may have other code than the one that was measured. */
const codeOf = ({ elements }: PageDocument): string[] =>
  elements.flatMap((element) => [
    ...(element.name === 'script' ? [textOf(element)] : []),
    ...Object.entries(element.attribs).flatMap(([name, value]) =>
      name.startsWith('on') || value.startsWith('javascript:') ? [value] : [],
    ),
  ])

/** Why a script may go; undefined: it may be needed here. */
const proofOf = (address: URL, { knowledge, page }: { knowledge: RewriteContext['knowledge']; page: PageDocument }) => {
  if (address.host !== page.address.host) return undefined
  const path = originalPath(address.pathname)
  const known = knowledge?.unusedScripts.find((one) => one.path === path)
  if (known === undefined) return undefined
  const code = codeOf(page)
  return known.globals.some((name) => code.some((text) => mentions(text, name)))
    ? undefined
    : 'Nothing used it when this page, or one of its kind, was measured.'
}

/** Leaves out scripts that this page is proven not to use, and what the owner knows to be unused. */
export const leaveOutUnusedScripts: PageRemedy = (page, context) => {
  const work = new Work('unusedScripts')
  const settings = context.remedies.unusedScripts
  const left = compileExceptions(settings.exceptions)
  const isNamed = fileMatcher(settings.more)
  for (const element of page.elements) {
    if (element.name !== 'script' && element.name !== 'link') continue
    const address = resolved(page, element.attribs[element.name === 'script' ? 'src' : 'href'])
    if (address === undefined) continue
    const proof = isNamed(address)
      ? 'You named it as unused.'
      : element.name === 'script'
        ? proofOf(address, { knowledge: context.knowledge, page })
        : undefined
    if (proof === undefined) continue
    const item = element.attribs['src'] ?? element.attribs['href'] ?? shown(page, element)
    const exception = left.file(address) ?? left.element(element)
    if (exception !== undefined) work.left(item, exceptionSentence(exception))
    else
      work.change(item, `Left out. ${proof}`, removeElement(element), {
        before: context.shelf.find(address)?.bytes ?? null,
        after: 0,
      })
  }
  return work.done()
}
