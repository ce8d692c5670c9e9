import type { Outcome } from '../../core/http/cache-status.ts'
import type { DecisionRecord } from '../../core/contracts/delivery.ts'
import { fieldValue } from '../../core/http/fields.ts'
import { epochMs } from '../../core/time.ts'
import { Counters, type CountedAnswer } from '../metrics/counters.ts'
import type { Route } from '../request/routes.ts'
import type { DeliveryIo } from '../respond/request-context.ts'
import type { FirstProcess } from './first-process.ts'

/** Counts nothing by itself: there is one count for the whole machine. */
class CountedByFirst extends Counters {
  readonly #first: FirstProcess

  constructor(first: FirstProcess) {
    super(epochMs(Date.now()))
    this.#first = first
  }

  override count({ countedAs }: Route, outcome: Outcome, answer: CountedAnswer, record: DecisionRecord): void {
    this.#first.answered({ countedAs, outcome, answer, record })
  }
}

const nothing = (): void => undefined
const no = (): boolean => false

/** What a further process learns from the answers it gives, told to the first one, which knows the rest. */
export const toldToFirst = (first: FirstProcess): Pick<DeliveryIo, 'counters' | 'nextPages'> => ({
  counters: new CountedByFirst(first),
  nextPages: {
    asked: ({ route, target, fields, visitor }) =>
      first.asked({ countedAs: route.countedAs, target, referer: fieldValue(fields, 'referer'), host: visitor.host }),
    // Whatever sends something, or is fetched ahead, is passed on.
    sent: nothing,
    asks: nothing,
    isActing: no,
    isAsking: no,
    fetchedAhead: nothing,
    answer: () => Promise.resolve(),
  },
})
