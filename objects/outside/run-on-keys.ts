import { randomInt } from 'node:crypto'
import { Refusal, type Call, type ReadListener } from '../commands/call.ts'
import { ValueTooLarge } from '../keyspace/bounds.ts'
import type { Keyspace } from '../keyspace/keyspace.ts'
import { ReplyTooLarge, ReplyWriter, type RespVersion } from '../resp/reply-writer.ts'
import type { Asked } from '../sites/outside-values.ts'

const UNCOUNTED: ReadListener = { onHit: () => undefined, onMiss: () => undefined }
const random = (): number => randomInt(2 ** 32) / 2 ** 32

/** A command whose words are its own: they outlive what was received. */
export const copyOf = (asked: Asked): Asked => ({ ...asked, args: asked.args.map((one) => Buffer.from(one)) })

/** Carry out a command on keys that are here. @returns the reply as it goes to the client */
export const runOnKeys = (keys: Keyspace, { command, args, db }: Asked, version: RespVersion, now: number): Buffer => {
  const reply = new ReplyWriter()
  reply.version = version
  const call: Call = { args, keys, db, reply, now, reads: UNCOUNTED, random }
  try {
    command.run(call)
  } catch (error) {
    reply.truncate(0)
    if (error instanceof Refusal) reply.error(error.message)
    else if (error instanceof ValueTooLarge || error instanceof ReplyTooLarge) reply.error(`ERR ${error.message}`)
    else throw error
  }
  return reply.take() ?? Buffer.alloc(0)
}

/** The reply where nothing is there, and nothing stays. @param nothing keys of which there are none */
export const runOnNothing = (nothing: Keyspace, asked: Asked, version: RespVersion, now: number): Buffer => {
  try {
    return runOnKeys(nothing, asked, version, now)
  } finally {
    if (nothing.size > 0) nothing.clear()
  }
}
