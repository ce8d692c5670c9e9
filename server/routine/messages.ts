import { and, desc, eq } from 'drizzle-orm'
import type { Message } from '../../core/contracts/routine.ts'
import type { Notice } from '../../core/measuring/regression-alerts.ts'
import { newId } from '../accounts/secrets.ts'
import type { Database } from '../db/database.ts'
import { messages, sites } from '../db/schema.ts'
import type { EventBus } from '../live/event-bus.ts'
import { siteRow } from '../sites/sites.ts'

const MOST_SHOWN = 100

const toMessage = ({ at, ...row }: typeof messages.$inferSelect): Message => ({
  ...row,
  at: at.toISOString(),
})

/** Newest first. @throws AppError NOT_FOUND */
export const listMessages = async (db: Database, siteId: string): Promise<Message[]> => {
  await siteRow(db, siteId)
  const rows = await db
    .select()
    .from(messages)
    .where(eq(messages.siteId, siteId))
    .orderBy(desc(messages.at))
    .limit(MOST_SHOWN)
  return rows.map(toMessage)
}

/** Mark everything that was said of a site as read. */
export const readMessages = async (db: Database, events: EventBus, siteId: string): Promise<void> => {
  await db
    .update(messages)
    .set({ read: true })
    .where(and(eq(messages.siteId, siteId), eq(messages.read, false)))
  events.changed(siteId, 'messages')
}

const TRIES = 3
const WAIT_MS = 2000
const TIMEOUT_MS = 10_000

/** Hand messages to the owner's webhook. @returns why that failed, or undefined */
const callWebhook = async (webhook: string, body: unknown): Promise<string | undefined> => {
  let why = ''
  for (let attempt = 0; attempt < TRIES; attempt++) {
    if (attempt > 0) await new Promise((resolve) => setTimeout(resolve, WAIT_MS * attempt))
    try {
      const answer = await fetch(webhook, {
        method: 'POST',
        headers: { 'content-type': 'application/json', 'user-agent': 'zest-lamp' },
        body: JSON.stringify(body),
        redirect: 'error',
        signal: AbortSignal.timeout(TIMEOUT_MS),
      })
      if (answer.ok) return undefined
      why = `it answered with status ${answer.status}`
    } catch (error) {
      why = (error as Error).name === 'TimeoutError' ? 'it did not answer in time' : 'it could not be reached'
    }
  }
  return why
}

/** Tell the owner: in the application, and at the webhook if one is set. Resolves once both are done. */
export const tell = async (
  db: Database,
  events: EventBus,
  siteId: string,
  notices: readonly Notice[],
  measurementId: string | null,
): Promise<void> => {
  if (notices.length === 0) return
  const write = (all: readonly Notice[]): Promise<unknown> =>
    db.insert(messages).values(all.map((notice) => ({ id: newId(), siteId, at: new Date(), ...notice, measurementId })))
  await write(notices)
  events.changed(siteId, 'messages')
  const [site] = await db.select().from(sites).where(eq(sites.id, siteId))
  const webhook = site?.routine?.webhook ?? null
  if (site === undefined || webhook === null) return
  const why = await callWebhook(webhook, {
    site: { id: siteId, name: site.name, host: site.liveHost },
    measurementId,
    messages: notices,
  })
  if (why === undefined) return
  await write([{ kind: 'webhook-failed', sentence: `The message did not reach ${new URL(webhook).host}: ${why}.` }])
  events.changed(siteId, 'messages')
}
