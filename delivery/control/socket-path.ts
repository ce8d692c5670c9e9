import { createHash } from 'node:crypto'
import { tmpdir } from 'node:os'
import { join, resolve } from 'node:path'

/** Longest path of a socket on Linux, less the terminating zero (unix(7): sun_path holds 108 bytes). */
const LONGEST = 107

/** Where control and delivery of one data directory meet; in the temporary directory when the path would be too long. */
export const controlSocketPath = (dataDir: string): string => {
  const path = join(resolve(dataDir), 'delivery.sock')
  if (Buffer.byteLength(path) <= LONGEST) return path
  return join(tmpdir(), `zest-${createHash('sha256').update(path).digest('hex').slice(0, 16)}.sock`)
}
