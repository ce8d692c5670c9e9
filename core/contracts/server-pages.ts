import { z } from 'zod'

/** Pages as files on the disk of the owner's web server, for the rules that hand them out. */
export const ServerPagesSettings = z.strictObject({
  everyMinutes: z
    .int()
    .min(5)
    .max(7 * 24 * 60)
    .nullable()
    .default(60)
    .describe('How often all of them are compared with the site, in minutes; null: only when somebody asks for it'),
  most: z.int().min(1).max(2000).default(200).describe('Pages that are written at most, the most visited first'),
})
export type ServerPagesSettings = z.infer<typeof ServerPagesSettings>

export const ServerPagesOrder = z.strictObject({ what: z.enum(['write', 'remove']) })
export type ServerPagesOrder = z.infer<typeof ServerPagesOrder>

/** What came of writing or removing them. */
export const ServerPagesResult = z.object({
  at: z.iso.datetime(),
  what: ServerPagesOrder.shape.what,
  written: z.int(),
  unchanged: z.int(),
  removed: z.int(),
  left: z.array(z.object({ path: z.string(), why: z.string() })).describe('Pages that have no file, with the reason'),
  problem: z.string().nullable().describe('Why it ended early, in a sentence'),
})
export type ServerPagesResult = z.infer<typeof ServerPagesResult>

export const ServerPages = z.object({
  settings: ServerPagesSettings,
  files: z.int().describe('Pages that have a file there now'),
  bytes: z.int(),
  goodUntil: z.iso.date().nullable().describe('Last day on which the server uses them; null: none is there'),
  last: ServerPagesResult.nullable(),
})
export type ServerPages = z.infer<typeof ServerPages>
