import type { PlannerAnswer, PlannerOrder } from './planner-messages.ts'
import { PlannerWork } from './planner-work.ts'

/** The planner's sums in a thread of their own: the page stays usable meanwhile. */
const work = new PlannerWork((answer: PlannerAnswer) => self.postMessage(answer))
/** One order after the other. */
let last: Promise<void> = Promise.resolve()
self.onmessage = ({ data }: MessageEvent<PlannerOrder>): void => {
  last = last.then(() => work.carryOut(data))
}
