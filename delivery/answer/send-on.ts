import { Readable } from 'node:stream'
import { PATIENCE_MS } from '../../core/contracts/delivery.ts'
import type { Outcome } from '../../core/http/cache-status.ts'
import { endToEndFields, fieldValue } from '../../core/http/fields.ts'
import { asksForProcessing } from '../../core/page/fragments.ts'
import { LARGEST_PAGE_BYTES } from '../../core/page/largest-page.ts'
import type { Exchange } from '../exchange.ts'
import type { OriginAnswer } from '../origin/origin-client.ts'
import { sendFilled } from './assemble.ts'
import { decode } from './coding.ts'
import { collect, prepend } from './collection.ts'
import { LARGEST_STORED, within } from './keeping.ts'
import { withBrowserLifetime, withDate } from './outgoing-fields.ts'
import { sendFailure } from './send-failure.ts'
import { sendPage } from './send-page.ts'
import { streamAnswer } from './stream-answer.ts'

/** Whether an answer has fragments in it; browsers must not see their markup, stored or not. */
export const asksToBeFilled = ({ route, method }: Exchange, { fields }: OriginAnswer): boolean =>
  route.fragments && method === 'GET' && asksForProcessing(fieldValue(fields, 'surrogate-control'))

const collectAndFill = async (exchange: Exchange, answer: OriginAnswer, outcome: Outcome): Promise<void> => {
  const collected = await collect(answer.body, LARGEST_STORED)
  if (collected.kind !== 'complete') {
    answer.body.destroy()
    return sendFailure(exchange, 'broken')
  }
  return sendFilled(exchange, { ...answer, fields: endToEndFields(answer.fields) }, collected.bytes, outcome)
}

/** Rewrite a page that is kept nowhere, within the visitor's patience; else it goes out as it came. */
const collectAndRewrite = async (
  exchange: Exchange,
  answer: OriginAnswer,
  outcome: Outcome,
  shared: boolean,
): Promise<void> => {
  const { io } = exchange
  const collected = await collect(answer.body, LARGEST_PAGE_BYTES)
  if (collected.kind === 'truncated') {
    answer.body.destroy()
    return sendFailure(exchange, 'broken')
  }
  const asItCame = (body: Readable): Promise<void> => streamAnswer(exchange, answer, outcome, { body, shared })
  if (collected.kind === 'larger') return asItCame(Readable.from(prepend(collected.start, answer.body)))
  const coding = fieldValue(answer.fields, 'content-encoding')
  const plain = coding === undefined ? collected.bytes : await decode(collected.bytes, coding)
  const made = plain === undefined ? undefined : await within(io.rewriter.rewrite(exchange, answer, plain), PATIENCE_MS)
  if (made === 'late') io.counters.countLate(exchange.route)
  if (made === undefined || made === 'late' || made.kind !== 'rewritten')
    return asItCame(Readable.from([collected.bytes]))
  const fields = withBrowserLifetime(endToEndFields(answer.fields), answer.status, exchange, shared)
  return sendPage(exchange, { status: answer.status, fields: withDate(fields, io.now()) }, made.bytes, outcome)
}

/** Send on an answer of the origin that is not kept: filled in, rewritten, or as it arrives. */
export const sendOn = (
  exchange: Exchange,
  answer: OriginAnswer,
  outcome: Outcome,
  { shared = false }: { shared?: boolean } = {},
): Promise<void> => {
  if (asksToBeFilled(exchange, answer)) return collectAndFill(exchange, answer, outcome)
  if (exchange.io.rewriter.takes(exchange, answer)) return collectAndRewrite(exchange, answer, outcome, shared)
  return streamAnswer(exchange, answer, outcome, { shared })
}
