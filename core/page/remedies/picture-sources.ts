import type { RewriteContext } from '../context.ts'
import { originalPath, type FileFacts } from '../files.ts'

/** Below this width of the window the layout measured on phones is taken to hold (common practice: tablets begin here). */
const PHONE_UP_TO = 767

/** What a browser is told to choose a picture by (WHATWG HTML §4.8.4, srcset and sizes). */
export interface PictureSources {
  readonly src: string
  readonly srcset: string | undefined
  readonly sizes: string | undefined
}

const percent = (share: number): string => `${Math.max(1, Math.min(100, Math.ceil(share * 100)))}vw`

/** How wide a picture is shown, by what was measured; undefined: not measured anywhere. */
const measuredSizes = (path: string, { views }: RewriteContext): string | undefined => {
  const shown = (device: 'phone' | 'laptop') => {
    const view = views[device]
    const image = view?.images.find((one) => one.path === path && one.shownWidth > 0)
    return view === undefined || image === undefined
      ? undefined
      : { width: image.shownWidth, view: view.viewWidth }
  }
  const phone = shown('phone')
  const laptop = shown('laptop')
  if (phone === undefined && laptop === undefined) return undefined
  const wide = laptop === undefined ? '100vw' : `${Math.ceil(laptop.width)}px`
  return phone === undefined
    ? wide
    : `(max-width: ${PHONE_UP_TO}px) ${percent(phone.width / phone.view)}, ${wide}`
}

/**
 * The addresses a picture is offered under. Several widths only where the browser can tell which one it needs: the shown width was measured, or the
 * picture is lazy, and then the browser knows its box before it loads (`sizes=auto`).
 */
export const pictureSources = (
  facts: FileFacts,
  lazy: boolean,
  context: RewriteContext,
): PictureSources | undefined => {
  const { image, made } = facts
  if (made === undefined) return undefined
  const widest = image?.widths.at(-1)
  const measured = measuredSizes(originalPath(new URL(facts.address).pathname), context)
  const sizes = lazy ? `auto, ${measured ?? '100vw'}` : measured
  if (image === undefined || widest === undefined || image.widths.length < 2 || sizes === undefined)
    return { src: widest?.path ?? made.path, srcset: undefined, sizes: undefined }
  return {
    src: widest.path,
    srcset: image.widths.map(({ width, path }) => `${path} ${width}w`).join(', '),
    sizes,
  }
}
