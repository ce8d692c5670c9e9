import type { InlinePicture, RewriteContext } from '../context/rewrite-context.ts'
import { originalPath, type FileFacts } from '../context/file-facts.ts'

/** Below this width of the window the layout measured on phones is taken to hold (common practice: tablets begin here). */
const PHONE_UP_TO = 767

/** What a browser is told to choose a picture by (WHATWG HTML §4.8.4, srcset and sizes). */
export interface PictureSources {
  readonly src: string
  readonly srcset: string | undefined
  readonly sizes: string | undefined
}

const percent = (share: number): string => `${Math.max(1, Math.min(100, Math.ceil(share * 100)))}vw`

/** Screens denser than is of use are told apart in steps: each gets what one of this many times less density would. */
const DENSER = [1.75, 1.5, 1.3]

/**
 * The part of `sizes` for phones. Dense screens are told of less width than there is, so that they take a picture of the density the owner wants and
 * no denser one; only where the picture is not shown narrower for it (WHATWG HTML §4.8.4.2.2: what `sizes` says is a picture's width unless a style
 * or an attribute gives it one).
 * @param share of the window's width
 */
const phoneSizes = (share: number, density: number, widthHeld: boolean): string => {
  const phone = `(max-width: ${PHONE_UP_TO}px)`
  const denser = DENSER.map(
    (times) => `${phone} and (min-resolution: ${Number((density * times).toFixed(2))}dppx) ${percent(share / times)}`,
  )
  return [...(widthHeld ? denser : []), `${phone} ${percent(share)}`].join(', ')
}

/** How wide a picture is shown, by what was measured; undefined: not measured anywhere. */
const measuredSizes = (paths: readonly string[], { views, remedies }: RewriteContext): string | undefined => {
  const shown = (device: 'phone' | 'laptop') => {
    const view = views[device]
    const image = view?.images.find((one) => paths.includes(one.path) && one.shownWidth > 0)
    return view === undefined || image === undefined
      ? undefined
      : { width: image.shownWidth, view: view.viewWidth, held: image.widthHeld === true }
  }
  const phone = shown('phone')
  const laptop = shown('laptop')
  if (phone === undefined && laptop === undefined) return undefined
  const wide = laptop === undefined ? '100vw' : `${Math.ceil(laptop.width)}px`
  return phone === undefined
    ? wide
    : `${phoneSizes(phone.width / phone.view, remedies.images.phoneDensity, phone.held)}, ${wide}`
}

/**
 * What `sizes` is to say of a picture that the page itself offers in several widths as wide as the window, where it was seen narrower: undefined where it was
 * not seen, or where what `sizes` says would change how wide it is shown.
 * @param paths of all that it is offered as
 */
export const sizesSeen = (paths: readonly string[], context: RewriteContext): string | undefined => {
  for (const device of ['phone', 'laptop'] as const) {
    const image = context.views[device]?.images.find((one) => paths.includes(one.path) && one.shownWidth > 0)
    if (image === undefined || image.widthHeld !== true) return undefined
  }
  return measuredSizes(paths, context)
}

/** Width of a window where none was measured, CSS pixels (common practice). */
const WINDOW = 1280

/** Before the styles that come late are there, a picture has the width that is written on it; one wider than the window would be asked for as such. */
const isLaidOutTooWide = (image: FileFacts['image'], { remedies, views }: RewriteContext): boolean =>
  remedies.criticalStyles.enabled && (image?.width ?? 0) > (views.laptop?.viewWidth ?? WINDOW)

/**
 * The addresses a picture is offered under, for pictures whose size the page says, so that which one the browser takes changes no layout. What a
 * browser needs follows from the width that was measured, or from the box of a lazy picture (`sizes=auto`). Where neither is known, as in the
 * slides that nobody saw while the page was measured, it is what the window needs: few pictures are shown wider than that.
 * @param written how this page has to write an address
 * @param inPage the width that stands in the page itself
 */
export const pictureSources = (
  facts: FileFacts,
  lazy: boolean,
  context: RewriteContext,
  written: (path: string) => string,
  inPage?: InlinePicture,
): PictureSources | undefined => {
  const { image, made } = facts
  if (made === undefined) return undefined
  const widest = image?.widths.at(-1)
  const measured = measuredSizes([originalPath(new URL(facts.address).pathname)], context)
  const known = measured ?? '100vw'
  const sizes = lazy && !isLaidOutTooWide(image, context) ? `auto, ${known}` : known
  if (image === undefined || widest === undefined || image.widths.length < 2)
    return { src: written(widest?.path ?? made.path), srcset: undefined, sizes: undefined }
  return {
    src: written(widest.path),
    srcset: image.widths
      // Those narrower than what has come with the page are of no use to anybody.
      .filter(({ width }) => width >= (inPage?.width ?? 0))
      .map(({ width, path }) => `${width === inPage?.width ? inPage.data : written(path)} ${width}w`)
      .join(', '),
    sizes,
  }
}
