import type { Page } from 'playwright-core'

/** Frames for which a view has to keep its height. */
const STILL = 30

/** Scroll to the end of a view: what stands there is made when somebody comes near. A view that grows meanwhile is followed. */
export const toEnd = (page: Page): Promise<void> =>
  page.locator('#main').evaluate(async (main, still) => {
    for (let height = -1, frames = 0; frames < still;) {
      main.scrollTo(0, main.scrollHeight)
      await new Promise(requestAnimationFrame)
      frames = main.scrollHeight === height ? frames + 1 : 0
      height = main.scrollHeight
    }
  }, STILL)
