const WHY: readonly (readonly [RegExp, string])[] = [
  [
    /^(?:EVAL|EVALSHA|EVAL_RO|EVALSHA_RO|SCRIPT|FCALL|FCALL_RO|FUNCTION)$/,
    'scripts would hold up everybody else. Use MULTI and EXEC',
  ],
  [
    /^(?:CONFIG|ACL|MODULE|DEBUG|SHUTDOWN|SAVE|BGSAVE|BGREWRITEAOF|LASTSAVE|SLOWLOG|LATENCY|MONITOR|SWAPDB)$/,
    'the owner sets the object cache in Zest Lamp',
  ],
  [
    /^(?:REPLICAOF|SLAVEOF|PSYNC|SYNC|REPLCONF|WAIT|FAILOVER|CLUSTER|READONLY|READWRITE|ASKING|MIGRATE)$/,
    'it is one server. For several machines, have them share a server with ZEST_OBJECTS_URL',
  ],
  [
    /^(?:P?SUBSCRIBE|P?UNSUBSCRIBE|S?PUBLISH|PUBSUB|SSUBSCRIBE|SUNSUBSCRIBE)$/,
    'it stores objects and passes no messages on',
  ],
  [
    /^(?:L|R)(?:PUSH|POP|PUSHX|LEN|RANGE|INDEX|INSERT|SET|REM|TRIM|POS|MOVE|MPOP|POPLPUSH)|^B[LRZ]/,
    'it stores strings, hashes and sets. Keep a list as a string',
  ],
  [/^Z/, 'it stores strings, hashes and sets. Keep a sorted set as a hash'],
  [/^(?:X|GEO|PF|BIT|SETBIT|GETBIT|SORT|DUMP|RESTORE|OBJECT|MEMORY|COPY|MOVE)/, 'content systems do without it'],
]

/** Why a command is not carried out, and what to do instead. @param given as the client wrote it */
export const refusalOf = (name: string, given: string): string => {
  const why = WHY.find(([names]) => names.test(name))?.[1]
  const shown = given.slice(0, 64)
  return why === undefined
    ? `ERR unknown command '${shown}'. The object cache knows strings, hashes, sets, expiry, SCAN and MULTI.`
    : `ERR unknown command '${shown}': not offered by the object cache, since ${why}.`
}
