import { compileExceptions, exceptionSentence, fileMatcher } from '../exceptions.ts'
import { Work, type PageRemedy } from '../context.ts'
import { escapedValue, setAttribute } from '../document/edits.ts'
import { resolved } from '../document/page-document.ts'

/**
 * What stands in the frame until it is touched: a drawn picture that is a link to the video, so that it works without a script and by keyboard.
 * Only presentation attributes, since a policy of the page holds inside srcdoc too and may forbid styles.
 */
const stillOf = (address: URL, title: string): string => {
  const name = escapedValue(title).replaceAll('<', '&lt;')
  return (
    `<a href="${escapedValue(address.href)}" aria-label="Play: ${name}">` +
    '<svg xmlns="http://www.w3.org/2000/svg" width="100%" height="100%" viewBox="0 0 320 180" preserveAspectRatio="xMidYMid slice">' +
    '<rect width="320" height="180" fill="#14242c"/><circle cx="160" cy="84" r="26" fill="#fff" fill-opacity=".92"/>' +
    `<path d="M152 71v26l22-13z" fill="#14242c"/><text x="160" y="140" fill="#fff" font-size="12" text-anchor="middle" font-family="sans-serif">${name}</text></svg></a>`
  )
}

/** Frames that hold a video show a still picture until they are touched; the frame itself, its size and its place stay. */
export const showStills: PageRemedy = (page, context) => {
  const work = new Work('stillVideo')
  const { frames, exceptions } = context.remedies.stillVideo
  const isVideo = fileMatcher(frames)
  const left = compileExceptions(exceptions)
  for (const element of page.elements) {
    const address = resolved(page, element.attribs['src'])
    if (element.name !== 'iframe' || address === undefined || !isVideo(address)) continue
    const item = element.attribs['src']!
    const exception = left.file(address) ?? left.element(element)
    if (exception !== undefined) work.left(item, exceptionSentence(exception))
    else if (element.attribs['srcdoc'] !== undefined) continue
    else
      work.change(
        item,
        'Shows a still picture; the player loads when it is touched.',
        setAttribute(element, 'srcdoc', stillOf(address, element.attribs['title'] ?? 'Video')),
      )
  }
  return work.done()
}
