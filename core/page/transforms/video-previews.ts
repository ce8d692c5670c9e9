import type { Element } from 'domhandler'
import { compileExceptions, exceptionSentence, fileMatcher } from '../context/exceptions.ts'
import { Work, type PageRemedy, type RewriteContext } from '../context/rewrite-context.ts'
import { escapedValue, setAttribute, type Edit } from '../document/edits.ts'
import { resolved, type PageDocument } from '../document/page-document.ts'

/** What stands in the frame until it is touched: a drawn picture that is a link to the video, so that it works without a script and by keyboard. */
const stillOf = (address: URL, name: string): string => {
  return (
    `<a href="${escapedValue(address.href)}" aria-label="Play: ${name}">` +
    '<svg xmlns="http://www.w3.org/2000/svg" width="100%" height="100%" viewBox="0 0 320 180" preserveAspectRatio="xMidYMid slice">' +
    '<rect width="320" height="180" fill="#14242c"/><circle cx="160" cy="84" r="26" fill="#fff" fill-opacity=".92"/>' +
    `<path d="M152 71v26l22-13z" fill="#14242c"/><text x="160" y="140" fill="#fff" font-size="12" text-anchor="middle" font-family="sans-serif">${name}</text></svg></a>`
  )
}

/** The picture as a page of its own, which fills its frame. */
const stillPage = (address: URL, name: string): string =>
  `<!doctype html><meta charset="utf-8"><meta name="robots" content="noindex"><title>${name}</title>` +
  `<style>html,body{height:100%;margin:0}a,svg{display:block;height:100%}</style>${stillOf(address, name)}`

/**
 * What a frame becomes. Browsers load a frame late only when it has an address (WHATWG HTML §4.8.5, navigate an iframe: srcdoc is looked at first); a document in
 * `srcdoc` is set up while the initial viewport is drawn, wherever it stands (0.15 s of a slow phone's processor). So the picture has an address, unless a policy forbids it; in
 * `srcdoc` the page's policy holds too and may forbid styles, so there it has presentation attributes only.
 */
const stillFrame = (page: PageDocument, element: Element, address: URL, context: RewriteContext): Edit[] => {
  const name = escapedValue(element.attribs['title'] ?? 'Video').replaceAll('<', '&lt;')
  if (!context.policy.ownFrame) return setAttribute(element, 'srcdoc', stillOf(address, name))
  const { lazy } = context.remedies
  const saysWhen = element.attribs['loading'] !== undefined || (lazy.enabled && lazy.frames)
  return [
    ...setAttribute(element, 'src', context.shelf.add('still', 'frame', stillPage(address, name), page.address)),
    ...(saysWhen ? [] : setAttribute(element, 'loading', 'lazy')),
  ]
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
    const item = element.attribs['src'] ?? ''
    const exception = left.file(address) ?? left.element(element)
    if (exception !== undefined) work.left(item, exceptionSentence(exception))
    else if (element.attribs['srcdoc'] !== undefined) continue
    else
      work.change(
        item,
        'Shows a preview picture; the player loads when the visitor plays it.',
        stillFrame(page, element, address, context),
      )
  }
  return work.done()
}
