import type { CDPSession } from 'playwright-core'
import sharp from 'sharp'
import type { Frame, RunDetails } from '../../core/contracts/measuring.ts'
import { visualProgress } from '../../core/measuring/visual-progress.ts'

/** Frames are small: they are looked at side by side, and taking them must not cost the page its time. */
const MOST_WIDTH = 240
/** Progress is judged on a coarser picture still: a blinking cursor is not progress. */
const JUDGED = { width: 48, height: 64 }
const MOST_FRAMES = 400

/** Takes a picture of the initial viewport whenever the browser has drawn something new. */
export class FrameLog {
  readonly #cdp: CDPSession
  readonly #frames: { wallS: number; jpeg: string }[] = []

  constructor(cdp: CDPSession) {
    this.#cdp = cdp
  }

  async start(): Promise<void> {
    this.#cdp.on('Page.screencastFrame', ({ data, metadata, sessionId }) => {
      void this.#cdp.send('Page.screencastFrameAck', { sessionId }).catch(() => undefined)
      if (metadata.timestamp !== undefined && this.#frames.length < MOST_FRAMES)
        this.#frames.push({ wallS: metadata.timestamp, jpeg: data })
    })
    await this.#cdp.send('Page.startScreencast', {
      format: 'jpeg',
      quality: 60,
      maxWidth: MOST_WIDTH,
      maxHeight: MOST_WIDTH * 2,
      everyNthFrame: 1,
    })
  }

  /**
   * Frames since the visitor asked for the page; what was drawn before, the empty tab, stands at 0.
   * @param startedS wall time of the request for the page, seconds since 1970
   * @param untilMs the last instant of interest, ms; what is drawn later (a carousel) is left out
   */
  async read(startedS: number, untilMs: number): Promise<Frame[]> {
    await this.#cdp.send('Page.stopScreencast')
    const timed = this.#frames.map(({ wallS, jpeg }) => ({
      atMs: Math.max(0, (wallS - startedS) * 1000),
      jpeg,
    }))
    const before = timed.filter(({ atMs }) => atMs === 0).slice(-1)
    const shown = timed.filter(({ atMs }) => atMs > 0 && atMs <= untilMs)
    return [...before, ...shown]
  }
}

/** How near to its final look the initial viewport was, from frame to frame. */
export const progressOf = async (frames: readonly Frame[]): Promise<RunDetails['visual']> => {
  const pixels = await Promise.all(
    frames.map(async ({ atMs, jpeg }) => ({
      atMs,
      pixels: new Uint8Array(
        await sharp(Buffer.from(jpeg, 'base64'))
          .resize({ ...JUDGED, fit: 'fill' })
          .removeAlpha()
          .raw()
          .toBuffer(),
      ),
    })),
  )
  return visualProgress(pixels)
}
