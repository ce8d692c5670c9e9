import { createHash } from 'node:crypto'
import { tmpdir } from 'node:os'
import { join, resolve } from 'node:path'

/** Longest path of a socket on Linux, less the terminating zero (unix(7): sun_path holds 108 bytes). */
const LONGEST = 107

/** Path of a socket in the data directory; in the temporary directory when it would be too long. */
const socketPath = (dataDir: string, name: string): string => {
  const path = join(resolve(dataDir), name)
  if (Buffer.byteLength(path) <= LONGEST) return path
  return join(tmpdir(), `zest-${createHash('sha256').update(path).digest('hex').slice(0, 16)}.sock`)
}

/** Where control and delivery of one data directory meet. */
export const controlSocketPath = (dataDir: string): string => socketPath(dataDir, 'delivery.sock')

/** Where further delivery processes of one machine hear from the first one. */
export const clusterMessagesPath = (dataDir: string): string => socketPath(dataDir, 'delivery-messages.sock')

/** Where they hand requests on to it. */
export const clusterRequestsPath = (dataDir: string): string => socketPath(dataDir, 'delivery-requests.sock')

/** Held by control as long as it runs, so that no second one opens the same database. */
export const controlLockPath = (dataDir: string): string => socketPath(dataDir, 'control.sock')

/** Where control and the object cache of one data directory meet. */
export const objectsSocketPath = (dataDir: string): string => socketPath(dataDir, 'objects.sock')
