import { Readable } from 'node:stream'
import { PATIENCE_MS } from '../../core/contracts/delivery.ts'
import type { Outcome } from '../../core/http/cache-status.ts'
import { endToEndFields, fieldValue } from '../../core/http/fields.ts'
import { asksForProcessing } from '../../core/page/document/fragments.ts'
import { LARGEST_PAGE_BYTES } from '../../core/page/document/largest-page.ts'
import type { RequestContext } from './request-context.ts'
import type { OriginAnswer } from '../fetch/origin-client.ts'
import { sendFilled } from './assemble-fragments.ts'
import { decode } from '../fetch/content-coding.ts'
import { readBody, prepend } from '../fetch/read-body.ts'
import { LARGEST_STORED, within } from '../fetch/store-response.ts'
import { withBrowserLifetime, withDate } from './response-fields.ts'
import { sendFailure } from './send-failure.ts'
import { sendPage } from './send-page.ts'
import { streamAnswer } from './stream-response.ts'

/** Whether an answer has fragments in it; browsers must not see their markup, stored or not. */
export const asksToBeFilled = ({ route, method }: RequestContext, { fields }: OriginAnswer): boolean =>
  route.fragments && method === 'GET' && asksForProcessing(fieldValue(fields, 'surrogate-control'))

const collectAndFill = async (context: RequestContext, answer: OriginAnswer, outcome: Outcome): Promise<void> => {
  const collected = await readBody(answer.body, LARGEST_STORED)
  if (collected.kind !== 'complete') {
    answer.body.destroy()
    return sendFailure(context, 'broken')
  }
  return sendFilled(context, { ...answer, fields: endToEndFields(answer.fields) }, collected.bytes, outcome)
}

/** Rewrite a page that is kept nowhere, within the visitor's patience; else it goes out as it came. */
const collectAndRewrite = async (
  context: RequestContext,
  answer: OriginAnswer,
  outcome: Outcome,
  shared: boolean,
): Promise<void> => {
  const { io } = context
  const collected = await readBody(answer.body, LARGEST_PAGE_BYTES)
  if (collected.kind === 'truncated') {
    answer.body.destroy()
    return sendFailure(context, 'broken')
  }
  const asItCame = (body: Readable): Promise<void> => streamAnswer(context, answer, outcome, { body, shared })
  if (collected.kind === 'larger') return asItCame(Readable.from(prepend(collected.start, answer.body)))
  const coding = fieldValue(answer.fields, 'content-encoding')
  const plain = coding === undefined ? collected.bytes : await decode(collected.bytes, coding)
  const made = plain === undefined ? undefined : await within(io.rewriter.rewrite(context, answer, plain), PATIENCE_MS)
  if (made === 'late') io.counters.countLate(context.route)
  if (made === undefined || made === 'late' || made.kind !== 'rewritten')
    return asItCame(Readable.from([collected.bytes]))
  const fields = withBrowserLifetime(endToEndFields(answer.fields), answer.status, context, shared)
  return sendPage(context, { status: answer.status, fields: withDate(fields, io.now()) }, made.bytes, outcome)
}

/** Send on an answer of the origin that is not kept: filled in, rewritten, or as it arrives. */
export const sendFromOrigin = (
  context: RequestContext,
  answer: OriginAnswer,
  outcome: Outcome,
  { shared = false }: { shared?: boolean } = {},
): Promise<void> => {
  if (asksToBeFilled(context, answer)) return collectAndFill(context, answer, outcome)
  if (context.io.rewriter.takes(context, answer)) return collectAndRewrite(context, answer, outcome, shared)
  return streamAnswer(context, answer, outcome, { shared })
}
