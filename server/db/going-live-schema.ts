import { boolean, integer, jsonb, pgTable, text } from 'drizzle-orm/pg-core'
import type { AcmeChallenge, TextRecord } from '../../core/contracts/certificates.ts'
import type { ChallengeAnswer } from '../../core/contracts/delivery-config.ts'
import type { DnsTarget } from '../../core/contracts/going-live.ts'
import type { GoingLiveStep, ZoneBefore } from '../../core/contracts/going-live-steps.ts'
import { instant, siteId } from './schema.ts'
import { secretText } from './secret-text.ts'

/** Sites whose certificate is got from an authority, and renewed. */
export const automaticCertificates = pgTable('automatic_certificates', {
  siteId: siteId().primaryKey(),
  directory: text('directory').notNull(),
  contact: text('contact').notNull(),
  challenge: text('challenge').$type<AcmeChallenge>().notNull(),
  externalKeyId: text('external_key_id'),
  externalKey: secretText('external_key'),
  /** Of the account with the authority, PEM. */
  accountKey: secretText('account_key').notNull(),
  accountUrl: text('account_url'),
  /** An order that has not ended. */
  orderUrl: text('order_url'),
  /** What the authority looks for in the DNS, and what it asks for over HTTP. */
  record: jsonb('record').$type<TextRecord>(),
  answers: jsonb('answers').$type<ChallengeAnswer[]>().notNull().default([]),
  /** In a row. */
  failures: integer('failures').notNull().default(0),
  problem: text('problem'),
  lastTryAt: instant('last_try_at'),
  nextTryAt: instant('next_try_at'),
})

/** How far sites have come in going live. */
export const goingLive = pgTable('going_live', {
  siteId: siteId().primaryKey(),
  target: jsonb('target').$type<DnsTarget>(),
  /** Kept the first time that somebody looked which lines change. */
  before: jsonb('before').$type<ZoneBefore>(),
  closedByHand: boolean('closed_by_hand').notNull().default(false),
  checkedAt: instant('checked_at'),
  steps: jsonb('steps').$type<GoingLiveStep[]>().notNull().default([]),
})
