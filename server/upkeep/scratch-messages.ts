import { z } from 'zod'

/** A statement for the database of a proof. */
export const ScratchQuestion = z.object({ id: z.int(), sql: z.string() })
export type ScratchQuestion = z.infer<typeof ScratchQuestion>

export const ScratchAnswer = z.object({
  id: z.int(),
  rows: z.array(z.array(z.string().nullable())).optional(),
  changed: z.int().optional(),
  error: z.string().optional(),
})
export type ScratchAnswer = z.infer<typeof ScratchAnswer>
