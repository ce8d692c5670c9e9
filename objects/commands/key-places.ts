/** Where the keys of a command stand: its first words, all of them, or every second one. */
type Place = 'first' | 'two' | 'all' | 'pairs'

/** What a command does to the values of its keys. */
export type Effect =
  /** Nothing, and says nothing about their worth. */
  | 'looks'
  /** Asks for values, which is counted. */
  | 'reads'
  /** Puts values in their place. */
  | 'stores'
  /** Adds to what is there. */
  | 'grows'
  /** Removes, renames, or says how long they live. */
  | 'changes'

export interface KeyPlaces {
  readonly place: Place
  readonly effect: Effect
}

const named = (names: string, place: Place, effect: Effect): [string, KeyPlaces][] =>
  names.split(' ').map((name) => [name, { place, effect }])

/** Commands on certain keys. Those that are missing here are about all keys of a database. */
export const KEY_PLACES: ReadonlyMap<string, KeyPlaces> = new Map([
  ...named('GET GETRANGE SUBSTR HGET HMGET HGETALL SMEMBERS SISMEMBER SMISMEMBER SRANDMEMBER', 'first', 'reads'),
  ...named('MGET', 'all', 'reads'),
  ...named('STRLEN HKEYS HVALS HEXISTS HLEN HSTRLEN HSCAN SCARD SSCAN', 'first', 'looks'),
  ...named('SUNION SINTER SDIFF', 'all', 'looks'),
  ...named('SET SETEX PSETEX SETNX GETSET', 'first', 'stores'),
  ...named('MSET MSETNX', 'pairs', 'stores'),
  ...named('APPEND SETRANGE INCR DECR INCRBY DECRBY INCRBYFLOAT', 'first', 'grows'),
  ...named('HSET HMSET HSETNX HINCRBY HINCRBYFLOAT SADD', 'first', 'grows'),
  ...named('SMOVE', 'two', 'grows'),
  ...named('GETDEL GETEX HDEL SREM SPOP', 'first', 'changes'),
  ...named('EXPIRE PEXPIRE EXPIREAT PEXPIREAT PERSIST', 'first', 'changes'),
  ...named('DEL UNLINK', 'all', 'changes'),
  ...named('RENAME RENAMENX', 'two', 'changes'),
  ...named('TTL PTTL EXPIRETIME PEXPIRETIME TYPE', 'first', 'looks'),
  ...named('EXISTS TOUCH', 'all', 'looks'),
])

/** Whether the word at this place is a key. @param at 0 is the name of the command */
export const isKeyAt = (place: Place, at: number): boolean => {
  switch (place) {
    case 'first':
      return at === 1
    case 'two':
      return at === 1 || at === 2
    case 'all':
      return at > 0
    case 'pairs':
      return at % 2 === 1
  }
}
