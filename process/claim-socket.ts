import { rm } from 'node:fs/promises'
import { connect } from 'node:net'

/** Another process already serves this data directory. */
export class DataDirectoryTaken extends Error {
  constructor(dataDir: string) {
    super(
      `Another Zest Lamp is running on the data directory ${dataDir}. Stop it, or start this one with another ZEST_DATA_DIR.`,
    )
  }
}

/**
 * Make sure that nobody listens at a socket, and remove what a process that died has left of it. The kernel forgets a listener with
 * its process, so no lock outlives a crash.
 * @throws DataDirectoryTaken
 */
export const claimSocket = async (path: string, dataDir: string): Promise<void> => {
  const taken = await new Promise<boolean>((resolve) => {
    const probe = connect(path)
    probe.once('connect', () => resolve(true))
    probe.once('error', () => resolve(false))
  }).catch(() => false)
  if (taken) throw new DataDirectoryTaken(dataDir)
  await rm(path, { force: true })
}
