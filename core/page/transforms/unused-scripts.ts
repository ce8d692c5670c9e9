import { anyMentioned, wordsOf } from '../../measuring/script-use.ts'
import { compileExceptions, exceptionSentence, fileMatcher } from '../context/exceptions.ts'
import { originalPath } from '../context/file-facts.ts'
import { Work, type PageRemedy, type RewriteContext } from '../context/rewrite-context.ts'
import { removeElement } from '../document/edits.ts'
import { resolved, shown, textOf, type PageDocument } from '../document/page-document.ts'

/** Words of the code that is in the page itself: another page of the kind may have other code than the one that was measured. */
const wordsOfCode = ({ elements }: PageDocument): ReadonlySet<string> =>
  wordsOf(
    elements
      .flatMap((element) => [
        ...(element.name === 'script' ? [textOf(element)] : []),
        ...Object.entries(element.attribs).flatMap(([name, value]) =>
          name.startsWith('on') || /^\s*javascript:/i.test(value) ? [value] : [],
        ),
      ])
      .join('\n'),
  )

/** Paths of the scripts that this page is proven not to use. */
const provenUnused = (page: PageDocument, { knowledge }: RewriteContext): ReadonlySet<string> => {
  const known = knowledge?.unusedScripts ?? []
  if (known.length === 0) return new Set()
  const code = wordsOfCode(page)
  return new Set(known.filter(({ globals }) => !anyMentioned(globals, [code])).map(({ path }) => path))
}

const NAMED = 'You named it as unused.'
const PROVEN = 'Nothing used it when this page, or one of its kind, was measured.'

/** Leaves out scripts that this page is proven not to use, and what the owner knows to be unused. */
export const leaveOutUnusedScripts: PageRemedy = (page, context) => {
  const work = new Work('unusedScripts')
  const settings = context.remedies.unusedScripts
  const left = compileExceptions(settings.exceptions)
  const isNamed = fileMatcher(settings.more)
  const unused = provenUnused(page, context)
  for (const element of page.elements) {
    if (element.name !== 'script' && element.name !== 'link') continue
    const address = resolved(page, element.attribs[element.name === 'script' ? 'src' : 'href'])
    if (address === undefined) continue
    const isProven =
      element.name === 'script' && address.host === page.address.host && unused.has(originalPath(address.pathname))
    const named = isNamed(address)
    if (!named && !isProven) continue
    const item = element.attribs['src'] ?? element.attribs['href'] ?? shown(page, element)
    const exception = left.file(address) ?? left.element(element)
    if (exception !== undefined) work.left(item, exceptionSentence(exception))
    else
      work.change(item, `Left out. ${named ? NAMED : PROVEN}`, removeElement(element), {
        before: context.shelf.find(address)?.bytes ?? null,
        after: 0,
      })
  }
  return work.done()
}
