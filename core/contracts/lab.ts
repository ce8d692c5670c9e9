import { z } from 'zod'
import { RunOutcome } from './measuring.ts'
import { SnapshotOutcome } from './safety.ts'

/** Lab to control. */
export const LabMessage = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('ready') }),
  z.object({ kind: z.literal('unusable'), why: z.string() }),
  z.object({ kind: z.literal('outcome'), id: z.string(), outcome: RunOutcome }),
  z.object({ kind: z.literal('looked'), id: z.string(), outcome: SnapshotOutcome }),
])
export type LabMessage = z.infer<typeof LabMessage>
