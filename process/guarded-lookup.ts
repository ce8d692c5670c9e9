import { lookup } from 'node:dns'
import type { LookupFunction } from 'node:net'
import { guardedLookup as guarded, type PrivateAddresses } from '../core/http/private-addresses.ts'

/** Name lookup of this machine that refuses what leads into a private network. */
export const guardedLookup = (reach: PrivateAddresses): LookupFunction =>
  guarded(lookup as Parameters<typeof guarded>[0], reach)
