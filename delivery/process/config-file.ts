import { open, readFile, rename } from 'node:fs/promises'
import { DeliveryConfig } from '../../core/contracts/delivery-config.ts'
import { withRemediesOfToday } from '../../core/setup/earlier-remedies.ts'

/** The last good configuration, so that delivery starts and serves without control. */
export const loadConfig = async (path: string): Promise<DeliveryConfig> => {
  try {
    return DeliveryConfig.parse(withRemediesOfToday(JSON.parse(await readFile(path, 'utf8'))))
  } catch {
    // None yet, or from an older format: control sends the current one as soon as it runs.
    return { revision: 0, sites: [] }
  }
}

/** For the owner's eyes only, since keys of certificates are in it. Written beside and renamed: a crash leaves the old one or the new one, never half of either. */
export const saveConfig = async (path: string, config: DeliveryConfig): Promise<void> => {
  const beside = `${path}.part`
  const file = await open(beside, 'w', 0o600)
  await file.writeFile(JSON.stringify(config))
  await file.sync()
  await file.close()
  await rename(beside, path)
}
