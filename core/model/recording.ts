/** How a browser comes across something to fetch. */
export type Discovery =
  | { readonly by: 'navigation' }
  /** Named in the HTML, this far into it, 0 to 1. */
  | { readonly by: 'parser'; readonly offset: number }
  /** Asked for once another resource had come and been carried out, and so long after, ms. */
  | { readonly by: 'resource'; readonly id: number; readonly delayMs: number }
  /** Asked for when the page is first laid out: fonts, backgrounds, lazy pictures. */
  | { readonly by: 'layout' }

/** One thing a page fetches, stripped of everything that the link or the device it was recorded on has to do with. */
export interface RecordedResource {
  readonly id: number
  readonly url: string
  /** Scheme, host and port: what shares connections. */
  readonly origin: string
  readonly hostname: string
  readonly secure: boolean
  readonly multiplexed: boolean
  readonly type: 'document' | 'style' | 'script' | 'image' | 'font' | 'other'
  /** On the wire, header fields included. */
  readonly sentBytes: number
  /** What the server took, link and queue left out, ms. */
  readonly serverMs: number
  readonly discovery: Discovery
  readonly blocks: 'rendering' | 'parsing' | 'nothing'
  /** Scripts: carried out when they come, or when the page has been parsed. */
  readonly runs: 'at-once' | 'after-parsing'
  /** Main-thread time of parsing or carrying it out, ms on this machine. */
  readonly nativeMs: number
  /** As the browser ranks it: 4 for the most urgent down to 0. */
  readonly urgency: number
  /** From the browser cache. */
  readonly cached: boolean
}

/** A page load as the model needs it: recorded once, it predicts any visitor. */
export interface PageRecording {
  /** By id, which is the place in the list; the first is the document. */
  readonly resources: readonly RecordedResource[]
  /** Main-thread time of parsing the HTML with its inline scripts, ms on this machine. */
  readonly parseMs: number
  /** Main-thread time of style, layout and paint until the first paint, ms on this machine. */
  readonly renderMs: number
  /** What the main content is. */
  readonly lcp:
    | { readonly kind: 'first-paint' }
    | { readonly kind: 'image'; readonly id: number }
    /** Text in a font that hides it until it has come. */
    | { readonly kind: 'font'; readonly id: number }
    /** Painted so long after the first paint, ms on this machine. */
    | { readonly kind: 'later'; readonly nativeMs: number }
}

/** Whom to predict for. */
export interface PredictedVisitor {
  readonly roundTripMs: number
  readonly roundTripsByHost?: Readonly<Record<string, number>>
  readonly downBitsPerS: number
  readonly upBitsPerS: number
  readonly cpuSlowdown: number
}

/** ms since the visitor asked; NaN: it never came so far. */
export interface PredictedRequest {
  /** When the browser came across it. */
  readonly startMs: number
  /** When the request went out on its connection. */
  readonly sentMs: number
  readonly firstByteMs: number
  readonly endMs: number
}

/** When everything happened, ms since the visitor asked. */
export interface PredictedLoad {
  readonly ttfbMs: number
  readonly fcpMs: number
  readonly lcpMs: number
  readonly loadedMs: number
  /** By id; those that were never asked for are missing. */
  readonly requests: ReadonlyMap<number, PredictedRequest>
}

/** The page itself, with which every recording begins. @throws RangeError for a recording of nothing */
export const documentOf = ({ resources: [document] }: Pick<PageRecording, 'resources'>): RecordedResource => {
  if (document === undefined) throw new RangeError('A recording begins with its document.')
  return document
}
