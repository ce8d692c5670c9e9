import { z } from 'zod'
import { JourneyStep } from './measuring.ts'

/** What somebody does on the page while a journey is recorded; coordinates in CSS pixels of the picture. */
export const RecordedAct = z.discriminatedUnion('do', [
  z.strictObject({ do: z.literal('look') }),
  z.strictObject({ do: z.literal('click'), x: z.number().min(0).max(4000), y: z.number().min(0).max(4000) }),
  z.strictObject({ do: z.literal('see'), x: z.number().min(0).max(4000), y: z.number().min(0).max(4000) }),
  z.strictObject({ do: z.literal('type'), text: z.string().max(1000) }),
  z.strictObject({ do: z.literal('submit') }),
  z.strictObject({ do: z.literal('scroll'), by: z.number().min(-4000).max(4000) }),
])
export type RecordedAct = z.infer<typeof RecordedAct>

/** What the page looks like now, and the steps so far. */
export const RecordingState = z.object({
  url: z.string(),
  jpeg: z.string().describe('Base64'),
  width: z.int(),
  height: z.int(),
  steps: z.array(JourneyStep),
  /** Why the last act did nothing, in words; null when it did. */
  note: z.string().nullable(),
})
export type RecordingState = z.infer<typeof RecordingState>

export const StartRecording = z.strictObject({
  path: z
    .string()
    .regex(/^\/(?!\/)\S*$/, 'A path begins with one "/".')
    .default('/'),
})

/** Control to recorder. */
export const RecorderOrder = z.discriminatedUnion('kind', [
  z.object({
    kind: z.literal('open'),
    origin: z.url(),
    path: z.string(),
    privateAddresses: z.enum(['refused', 'allowed']),
    connectTo: z.record(z.string(), z.string()).describe('Where hosts are reached instead of where their names lead'),
    cookies: z.array(z.object({ name: z.string(), value: z.string() })),
  }),
  z.object({ kind: z.literal('act'), act: RecordedAct }),
])
export type RecorderOrder = z.infer<typeof RecorderOrder>

/** Recorder to control, one answer for each order. */
export const RecorderReply = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('state'), state: RecordingState }),
  z.object({ kind: z.literal('failed'), why: z.string() }),
])
export type RecorderReply = z.infer<typeof RecorderReply>
