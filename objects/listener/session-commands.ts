import type { Command } from '../commands/call.ts'
import { Refusal } from '../commands/call.ts'
import { EXPIRY_COMMANDS } from '../commands/expiry.ts'
import { HASH_COMMANDS } from '../commands/hashes.ts'
import { KEY_COMMANDS } from '../commands/keys.ts'
import { SET_COMMANDS } from '../commands/sets.ts'
import { STRING_COMMANDS } from '../commands/strings.ts'
import type { ReplyWriter } from '../resp/reply-writer.ts'

/** Commands that work on a site's keys. */
export const COMMANDS: ReadonlyMap<string, Command> = new Map(
  Object.entries({ ...STRING_COMMANDS, ...EXPIRY_COMMANDS, ...KEY_COMMANDS, ...HASH_COMMANDS, ...SET_COMMANDS }),
)

/** Commands about the connection itself. */
export const SESSION_COMMANDS: ReadonlyMap<string, { readonly arity: number }> = new Map(
  Object.entries({
    AUTH: -2,
    HELLO: -1,
    PING: -1,
    ECHO: 2,
    SELECT: 2,
    QUIT: -1,
    RESET: 1,
    CLIENT: -2,
    COMMAND: -1,
    INFO: -1,
    MULTI: 1,
    EXEC: 1,
    DISCARD: 1,
    WATCH: -2,
    UNWATCH: 1,
  }).map(([name, arity]) => [name, { arity }]),
)

/** Carried out at once, also within a transaction. */
export const NEVER_QUEUED = new Set(['MULTI', 'EXEC', 'DISCARD', 'WATCH', 'QUIT', 'RESET'])
export const BEFORE_AUTH = new Set(['AUTH', 'HELLO', 'QUIT', 'RESET'])

/** Where replies come from elsewhere, these wait for all earlier ones, and later ones wait for them. */
export const BY_THEMSELVES = new Set([
  ...['AUTH', 'HELLO', 'RESET', 'QUIT', 'WATCH', 'UNWATCH', 'EXEC', 'DISCARD'],
  ...['SCAN', 'KEYS', 'RANDOMKEY', 'DBSIZE', 'FLUSHDB', 'FLUSHALL'],
])

/** COMMAND. @throws Refusal */
export const describeCommands = (reply: ReplyWriter, words: readonly string[]): void => {
  const what = words[1]?.toUpperCase()
  if (what === 'COUNT') return reply.integer(COMMANDS.size + SESSION_COMMANDS.size)
  if (what === 'DOCS') return reply.map(0)
  if (what !== undefined && what !== 'INFO' && what !== 'LIST')
    throw new Refusal(`ERR COMMAND ${words[1]} is not offered here.`)
  const all = [...SESSION_COMMANDS, ...COMMANDS]
  reply.array(all.length)
  for (const [name, { arity }] of all) {
    if (what === 'LIST') reply.bulkText(name.toLowerCase())
    else {
      reply.array(2)
      reply.bulkText(name.toLowerCase())
      reply.integer(arity)
    }
  }
}
