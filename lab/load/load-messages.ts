import { z } from 'zod'
import { LoadStep } from '../../core/contracts/load-tests.ts'

/** Where visitors of a test go, and as whom. */
export const LoadWay = z.object({
  scheme: z.enum(['http', 'https']),
  /** Host name or address that is connected to. */
  connect: z.string(),
  port: z.int(),
  /** The Host field, with its port. */
  host: z.string(),
  /** Whether the certificate has to be that of the host; between programs of one machine anybody's will do. */
  certificate: z.enum(['checked', 'any']),
  cookie: z.string(),
  fields: z.record(z.string(), z.string()),
})
export type LoadWay = z.infer<typeof LoadWay>

/** One rate to hold. */
export const LoadTask = z.object({
  way: LoadWay,
  pages: z.array(z.object({ target: z.string(), share: z.number() })).min(1),
  perSecond: z.number(),
  seconds: z.number(),
  /** After this long nobody waits any more, ms. */
  patienceMs: z.number(),
  seed: z.number(),
})
export type LoadTask = z.infer<typeof LoadTask>

/** What the generator's process tells. */
export const LoadMessage = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('step'), step: LoadStep }),
  z.object({ kind: z.literal('failed'), sentence: z.string() }),
])
export type LoadMessage = z.infer<typeof LoadMessage>
